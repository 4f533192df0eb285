ALTER TABLE "mattock"."pause" ADD COLUMN "again" jsonb;--> statement-breakpoint
ALTER TABLE "mattock"."pause" ADD COLUMN "passed" timestamp with time zone;