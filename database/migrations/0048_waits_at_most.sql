DROP INDEX "mattock"."wait_need_asked";--> statement-breakpoint
ALTER TABLE "mattock"."wait_need" ADD COLUMN "left_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "mattock"."wait_set" ADD COLUMN "gives_up_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "mattock"."wait_set" ADD COLUMN "gave_up" boolean DEFAULT false NOT NULL;--> statement-breakpoint
CREATE INDEX "wait_set_open" ON "mattock"."wait_set" USING btree ("id") WHERE released_at is null;--> statement-breakpoint
CREATE INDEX "wait_set_gives_up" ON "mattock"."wait_set" USING btree ("gives_up_at") WHERE released_at is null and gives_up_at is not null;--> statement-breakpoint
CREATE INDEX "wait_need_asked" ON "mattock"."wait_need" USING btree ("kind") WHERE met_at is null and left_at is null and kind in ('refresh', 'files', 'check');