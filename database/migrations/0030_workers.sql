ALTER TABLE "mattock"."worker" ADD COLUMN "version" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "mattock"."worker" ADD COLUMN "last_hour" integer DEFAULT 0 NOT NULL;