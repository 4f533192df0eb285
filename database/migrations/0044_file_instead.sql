ALTER TABLE "mattock"."arrival_answer" ADD COLUMN "file" text;--> statement-breakpoint
ALTER TABLE "mattock"."arrival_answer" ADD COLUMN "replaces" text;