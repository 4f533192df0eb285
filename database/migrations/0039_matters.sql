CREATE TABLE "mattock"."matter" (
	"environment" text NOT NULL,
	"key" text NOT NULL,
	"title" text NOT NULL,
	"quiet_until" timestamp with time zone,
	"given_to" text,
	"at" timestamp with time zone NOT NULL,
	CONSTRAINT "matter_environment_key_pk" PRIMARY KEY("environment","key")
);
--> statement-breakpoint
CREATE TABLE "mattock"."matter_note" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"environment" text NOT NULL,
	"key" text NOT NULL,
	"by" text NOT NULL,
	"text" text NOT NULL,
	"at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE INDEX "matter_note_environment_key_id_index" ON "mattock"."matter_note" USING btree ("environment","key","id");--> statement-breakpoint
CREATE INDEX "coverage_loaded" ON "mattock"."coverage" USING btree ("environment","loaded_at" DESC NULLS LAST);