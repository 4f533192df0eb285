ALTER TABLE "mattock"."account" ADD COLUMN "environments" jsonb DEFAULT '{}'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "mattock"."api_token" ADD COLUMN "at_most" text DEFAULT 'house' NOT NULL;--> statement-breakpoint
ALTER TABLE "mattock"."api_token" ADD COLUMN "expires_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "mattock"."api_token" ADD COLUMN "used_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "mattock"."session" ADD COLUMN "seen_at" timestamp with time zone DEFAULT now() NOT NULL;--> statement-breakpoint
ALTER TABLE "mattock"."session" ADD COLUMN "agent" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "mattock"."dataset" ADD COLUMN "closed" boolean DEFAULT false NOT NULL;--> statement-breakpoint
CREATE INDEX "session_account_id_index" ON "mattock"."session" USING btree ("account_id");--> statement-breakpoint
-- who could change everything runs the house from now on
update "mattock"."account" set "role" = 'keeper' where "role" = 'engineer';--> statement-breakpoint
update "mattock"."invitation" set "role" = 'keeper' where "role" = 'engineer';
