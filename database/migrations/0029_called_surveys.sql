ALTER TABLE "mattock"."survey" ADD COLUMN "called_by_load" bigint;--> statement-breakpoint
ALTER TABLE "mattock"."survey" ADD COLUMN "called_by_step" text;--> statement-breakpoint
CREATE UNIQUE INDEX "survey_called_by" ON "mattock"."survey" USING btree ("called_by_load","called_by_step") WHERE called_by_load is not null;