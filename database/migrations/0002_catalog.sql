CREATE TABLE "mattock"."dataset" (
	"id" serial PRIMARY KEY NOT NULL,
	"environment" text NOT NULL,
	"connection" text NOT NULL,
	"locator" text NOT NULL,
	"start" text NOT NULL,
	"kind" text NOT NULL,
	"name" text NOT NULL,
	"description" text DEFAULT '' NOT NULL,
	"owner" text DEFAULT '' NOT NULL,
	"tags" text[] DEFAULT '{}' NOT NULL,
	"key_by_hand" text[],
	"key_found" text[] DEFAULT '{}' NOT NULL,
	"new_columns" text DEFAULT 'hold' NOT NULL,
	"edits" jsonb DEFAULT '{}'::jsonb NOT NULL,
	"columns" jsonb NOT NULL,
	"version" integer DEFAULT 1 NOT NULL,
	"format" jsonb,
	"files" integer,
	"bytes" bigint,
	"rows" bigint,
	"estimated" boolean DEFAULT false NOT NULL,
	"unnamed" integer DEFAULT 0 NOT NULL,
	"waits" jsonb,
	"gone_at" timestamp with time zone,
	"surveyed_at" timestamp with time zone NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"search" text DEFAULT '' NOT NULL
);
--> statement-breakpoint
CREATE TABLE "mattock"."dataset_count" (
	"dataset_id" integer NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"rows" bigint,
	"bytes" bigint,
	"files" integer,
	CONSTRAINT "dataset_count_dataset_id_at_pk" PRIMARY KEY("dataset_id","at")
);
--> statement-breakpoint
CREATE TABLE "mattock"."dataset_profile" (
	"dataset_id" integer PRIMARY KEY NOT NULL,
	"state" text DEFAULT 'waiting' NOT NULL,
	"asked_at" timestamp with time zone NOT NULL,
	"started_at" timestamp with time zone,
	"ended_at" timestamp with time zone,
	"rows" bigint,
	"columns" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"fault" text
);
--> statement-breakpoint
CREATE TABLE "mattock"."dataset_version" (
	"dataset_id" integer NOT NULL,
	"version" integer NOT NULL,
	"columns" jsonb NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"by" text NOT NULL,
	"survey_id" integer,
	CONSTRAINT "dataset_version_dataset_id_version_pk" PRIMARY KEY("dataset_id","version")
);
--> statement-breakpoint
CREATE TABLE "mattock"."file_shape" (
	"environment" text NOT NULL,
	"connection" text NOT NULL,
	"path" text NOT NULL,
	"size" bigint NOT NULL,
	"modified" text NOT NULL,
	"tables" jsonb NOT NULL,
	"fault" text,
	"datasets" integer[] DEFAULT '{}' NOT NULL,
	CONSTRAINT "file_shape_environment_connection_path_pk" PRIMARY KEY("environment","connection","path")
);
--> statement-breakpoint
CREATE TABLE "mattock"."read_shape" (
	"environment" text NOT NULL,
	"job" text NOT NULL,
	"step" text NOT NULL,
	"row_key" text NOT NULL,
	"columns" jsonb NOT NULL,
	"run_id" integer NOT NULL,
	"at" timestamp with time zone NOT NULL,
	CONSTRAINT "read_shape_environment_job_step_row_key_pk" PRIMARY KEY("environment","job","step","row_key")
);
--> statement-breakpoint
CREATE TABLE "mattock"."survey" (
	"id" serial PRIMARY KEY NOT NULL,
	"environment" text NOT NULL,
	"connection" text NOT NULL,
	"scope" jsonb NOT NULL,
	"state" text DEFAULT 'waiting' NOT NULL,
	"stopping" boolean DEFAULT false NOT NULL,
	"unattended" boolean DEFAULT false NOT NULL,
	"worker" integer,
	"attempt" integer DEFAULT 0 NOT NULL,
	"by" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"started_at" timestamp with time zone,
	"ended_at" timestamp with time zone,
	"progress" jsonb,
	"strays" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"same" integer DEFAULT 0 NOT NULL,
	"fault" text
);
--> statement-breakpoint
CREATE TABLE "mattock"."survey_proposal" (
	"survey_id" integer NOT NULL,
	"number" integer NOT NULL,
	"kind" text NOT NULL,
	"dataset_id" integer,
	"found" jsonb,
	"change" jsonb,
	"paths" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"decided" text,
	CONSTRAINT "survey_proposal_survey_id_number_pk" PRIMARY KEY("survey_id","number")
);
--> statement-breakpoint
CREATE TABLE "mattock"."touch" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"environment" text NOT NULL,
	"connection" text NOT NULL,
	"locator" text NOT NULL,
	"direction" text NOT NULL,
	"job" text NOT NULL,
	"run_id" integer NOT NULL,
	"load_id" bigint NOT NULL,
	"step" text NOT NULL,
	"rows" bigint NOT NULL,
	"at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
ALTER TABLE "mattock"."dataset_count" ADD CONSTRAINT "dataset_count_dataset_id_dataset_id_fk" FOREIGN KEY ("dataset_id") REFERENCES "mattock"."dataset"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."dataset_profile" ADD CONSTRAINT "dataset_profile_dataset_id_dataset_id_fk" FOREIGN KEY ("dataset_id") REFERENCES "mattock"."dataset"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."dataset_version" ADD CONSTRAINT "dataset_version_dataset_id_dataset_id_fk" FOREIGN KEY ("dataset_id") REFERENCES "mattock"."dataset"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."survey_proposal" ADD CONSTRAINT "survey_proposal_survey_id_survey_id_fk" FOREIGN KEY ("survey_id") REFERENCES "mattock"."survey"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "dataset_environment_connection_locator_index" ON "mattock"."dataset" USING btree ("environment","connection","locator");--> statement-breakpoint
CREATE INDEX "dataset_environment_name_index" ON "mattock"."dataset" USING btree ("environment","name");--> statement-breakpoint
CREATE INDEX "file_shape_datasets" ON "mattock"."file_shape" USING gin ("datasets");--> statement-breakpoint
CREATE INDEX "survey_connection_created_at_index" ON "mattock"."survey" USING btree ("connection","created_at" DESC NULLS LAST);--> statement-breakpoint
CREATE UNIQUE INDEX "touch_load_id_step_direction_locator_index" ON "mattock"."touch" USING btree ("load_id","step","direction","locator");--> statement-breakpoint
CREATE INDEX "touch_place" ON "mattock"."touch" USING btree ("environment","connection","locator" text_pattern_ops,"at" DESC NULLS LAST);