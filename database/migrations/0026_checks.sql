ALTER TABLE "mattock"."load_step" ADD COLUMN "checks" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "mattock"."load_step" ADD COLUMN "broken" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
CREATE INDEX "load_step_broken" ON "mattock"."load_step" USING btree ("load_id") WHERE broken > 0;