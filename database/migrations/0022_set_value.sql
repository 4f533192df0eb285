ALTER TABLE "mattock"."load_step" ADD COLUMN "value" jsonb;--> statement-breakpoint
ALTER TABLE "mattock"."try_step" ADD COLUMN "value" jsonb;