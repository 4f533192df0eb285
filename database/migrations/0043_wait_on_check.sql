DROP INDEX "mattock"."wait_need_asked";--> statement-breakpoint
ALTER TABLE "mattock"."wait_need" ADD COLUMN "part" integer;--> statement-breakpoint
ALTER TABLE "mattock"."wait_need" ADD COLUMN "step" text;--> statement-breakpoint
CREATE INDEX "wait_need_asked" ON "mattock"."wait_need" USING btree ("kind") WHERE met_at is null and kind in ('refresh', 'files', 'check');