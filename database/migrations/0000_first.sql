CREATE SCHEMA "mattock";
--> statement-breakpoint
CREATE TABLE "mattock"."account" (
	"id" serial PRIMARY KEY NOT NULL,
	"email" text NOT NULL,
	"name" text NOT NULL,
	"role" text NOT NULL,
	"password" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "account_email_unique" UNIQUE("email")
);
--> statement-breakpoint
CREATE TABLE "mattock"."api_token" (
	"hash" text PRIMARY KEY NOT NULL,
	"account_id" integer NOT NULL,
	"name" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "mattock"."connection" (
	"name" text PRIMARY KEY NOT NULL,
	"kind" text NOT NULL,
	"title" text NOT NULL,
	"cap" integer
);
--> statement-breakpoint
CREATE TABLE "mattock"."connection_setting" (
	"connection" text NOT NULL,
	"environment" text NOT NULL,
	"settings" jsonb NOT NULL,
	"secret" "bytea",
	"updated_at" timestamp with time zone DEFAULT now() NOT NULL,
	"updated_by" text NOT NULL,
	CONSTRAINT "connection_setting_connection_environment_pk" PRIMARY KEY("connection","environment")
);
--> statement-breakpoint
CREATE TABLE "mattock"."control_change" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"table" text NOT NULL,
	"row_key" text NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"by" text NOT NULL,
	"before" jsonb,
	"after" jsonb
);
--> statement-breakpoint
CREATE TABLE "mattock"."control_table" (
	"name" text PRIMARY KEY NOT NULL,
	"title" text NOT NULL,
	"connection" text,
	"schema" text NOT NULL,
	"table" text NOT NULL,
	"rules" jsonb DEFAULT '{}'::jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "mattock"."environment" (
	"name" text PRIMARY KEY NOT NULL,
	"position" integer NOT NULL,
	"live" boolean DEFAULT false NOT NULL,
	"values" jsonb DEFAULT '{}'::jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "mattock"."installation" (
	"id" text PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "mattock"."job" (
	"name" text PRIMARY KEY NOT NULL,
	"title" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "mattock"."job_version" (
	"id" serial PRIMARY KEY NOT NULL,
	"job" text NOT NULL,
	"version" integer NOT NULL,
	"text" text NOT NULL,
	"message" text DEFAULT '' NOT NULL,
	"by" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "mattock"."load" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"run_id" integer NOT NULL,
	"number" integer NOT NULL,
	"part" integer NOT NULL,
	"each" boolean NOT NULL,
	"key" text NOT NULL,
	"row_key" text,
	"slice_from" timestamp with time zone,
	"slice_to" timestamp with time zone,
	"slice_label" text,
	"connections" text[] NOT NULL,
	"state" text DEFAULT 'waiting' NOT NULL,
	"attempt" integer DEFAULT 0 NOT NULL,
	"worker" integer,
	"started_at" timestamp with time zone,
	"ended_at" timestamp with time zone,
	"read" bigint DEFAULT 0 NOT NULL,
	"written" bigint DEFAULT 0 NOT NULL,
	"unchanged" bigint DEFAULT 0 NOT NULL,
	"rejected" bigint DEFAULT 0 NOT NULL,
	"filtered" bigint DEFAULT 0 NOT NULL,
	"bytes" bigint DEFAULT 0 NOT NULL,
	"error" jsonb,
	"cause" text,
	"repeats" bigint
);
--> statement-breakpoint
CREATE TABLE "mattock"."load_step" (
	"load_id" bigint NOT NULL,
	"position" integer NOT NULL,
	"attempt" integer NOT NULL,
	"step" text NOT NULL,
	"kind" text NOT NULL,
	"state" text NOT NULL,
	"started_at" timestamp with time zone NOT NULL,
	"ended_at" timestamp with time zone,
	"read" bigint DEFAULT 0 NOT NULL,
	"written" bigint DEFAULT 0 NOT NULL,
	"unchanged" bigint DEFAULT 0 NOT NULL,
	"rejected" bigint DEFAULT 0 NOT NULL,
	"filtered" bigint DEFAULT 0 NOT NULL,
	"bytes" bigint DEFAULT 0 NOT NULL,
	"statements" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"files" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"reject_reasons" jsonb DEFAULT '{}'::jsonb NOT NULL,
	"reject_file" text,
	"log" jsonb DEFAULT '[]'::jsonb NOT NULL,
	CONSTRAINT "load_step_load_id_position_pk" PRIMARY KEY("load_id","position")
);
--> statement-breakpoint
CREATE TABLE "mattock"."loaded_file" (
	"environment" text NOT NULL,
	"store" text NOT NULL,
	"path" text NOT NULL,
	"target" text NOT NULL,
	"size" bigint NOT NULL,
	"modified" text NOT NULL,
	"sha256" text NOT NULL,
	"run_id" integer NOT NULL,
	"at" timestamp with time zone NOT NULL,
	CONSTRAINT "loaded_file_environment_store_path_target_pk" PRIMARY KEY("environment","store","path","target")
);
--> statement-breakpoint
CREATE TABLE "mattock"."plan" (
	"id" serial PRIMARY KEY NOT NULL,
	"job" text NOT NULL,
	"version_id" integer NOT NULL,
	"environment" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"by" text NOT NULL,
	"parameters" jsonb NOT NULL,
	"only" text,
	"span" text,
	"parts" jsonb NOT NULL,
	"findings" jsonb NOT NULL,
	"forecast" jsonb,
	"loads" integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE "mattock"."plan_load" (
	"plan_id" integer NOT NULL,
	"number" integer NOT NULL,
	"part" integer NOT NULL,
	"key" text NOT NULL,
	"row_key" text,
	"row" jsonb,
	"slice_from" timestamp with time zone,
	"slice_to" timestamp with time zone,
	"slice_label" text,
	"resolved" jsonb NOT NULL,
	"connections" text[] NOT NULL,
	"files" jsonb,
	"codes" text[] NOT NULL,
	"left" boolean DEFAULT false NOT NULL,
	CONSTRAINT "plan_load_plan_id_number_pk" PRIMARY KEY("plan_id","number")
);
--> statement-breakpoint
CREATE TABLE "mattock"."run" (
	"id" serial PRIMARY KEY NOT NULL,
	"job" text NOT NULL,
	"title" text NOT NULL,
	"version_id" integer NOT NULL,
	"plan_id" integer NOT NULL,
	"environment" text NOT NULL,
	"state" text NOT NULL,
	"part" integer DEFAULT 0 NOT NULL,
	"at_once" integer DEFAULT 1 NOT NULL,
	"stopping" boolean DEFAULT false NOT NULL,
	"by" text NOT NULL,
	"cause" text NOT NULL,
	"rerun_of" integer,
	"priority" integer DEFAULT 0 NOT NULL,
	"clock_offset" bigint DEFAULT 0 NOT NULL,
	"created_at" timestamp with time zone NOT NULL,
	"started_at" timestamp with time zone,
	"ended_at" timestamp with time zone
);
--> statement-breakpoint
CREATE TABLE "mattock"."session" (
	"hash" text PRIMARY KEY NOT NULL,
	"account_id" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"expires_at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "mattock"."worker" (
	"id" serial PRIMARY KEY NOT NULL,
	"host" text NOT NULL,
	"pid" integer NOT NULL,
	"capacity" integer NOT NULL,
	"started_at" timestamp with time zone DEFAULT now() NOT NULL,
	"beat_at" timestamp with time zone DEFAULT now() NOT NULL,
	"memory" bigint DEFAULT 0 NOT NULL,
	"load" double precision DEFAULT 0 NOT NULL
);
--> statement-breakpoint
ALTER TABLE "mattock"."api_token" ADD CONSTRAINT "api_token_account_id_account_id_fk" FOREIGN KEY ("account_id") REFERENCES "mattock"."account"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."connection_setting" ADD CONSTRAINT "connection_setting_connection_connection_name_fk" FOREIGN KEY ("connection") REFERENCES "mattock"."connection"("name") ON DELETE cascade ON UPDATE cascade;--> statement-breakpoint
ALTER TABLE "mattock"."connection_setting" ADD CONSTRAINT "connection_setting_environment_environment_name_fk" FOREIGN KEY ("environment") REFERENCES "mattock"."environment"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."control_table" ADD CONSTRAINT "control_table_connection_connection_name_fk" FOREIGN KEY ("connection") REFERENCES "mattock"."connection"("name") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."job_version" ADD CONSTRAINT "job_version_job_job_name_fk" FOREIGN KEY ("job") REFERENCES "mattock"."job"("name") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."load" ADD CONSTRAINT "load_run_id_run_id_fk" FOREIGN KEY ("run_id") REFERENCES "mattock"."run"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."load_step" ADD CONSTRAINT "load_step_load_id_load_id_fk" FOREIGN KEY ("load_id") REFERENCES "mattock"."load"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."plan" ADD CONSTRAINT "plan_version_id_job_version_id_fk" FOREIGN KEY ("version_id") REFERENCES "mattock"."job_version"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."plan_load" ADD CONSTRAINT "plan_load_plan_id_plan_id_fk" FOREIGN KEY ("plan_id") REFERENCES "mattock"."plan"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."run" ADD CONSTRAINT "run_version_id_job_version_id_fk" FOREIGN KEY ("version_id") REFERENCES "mattock"."job_version"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."run" ADD CONSTRAINT "run_plan_id_plan_id_fk" FOREIGN KEY ("plan_id") REFERENCES "mattock"."plan"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."session" ADD CONSTRAINT "session_account_id_account_id_fk" FOREIGN KEY ("account_id") REFERENCES "mattock"."account"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "control_change_table_id_index" ON "mattock"."control_change" USING btree ("table","id" DESC NULLS LAST);--> statement-breakpoint
CREATE UNIQUE INDEX "job_version_job_version_index" ON "mattock"."job_version" USING btree ("job","version");--> statement-breakpoint
CREATE UNIQUE INDEX "load_run_id_number_index" ON "mattock"."load" USING btree ("run_id","number");--> statement-breakpoint
CREATE INDEX "load_waiting" ON "mattock"."load" USING btree ("run_id","part","number") WHERE state = 'waiting';--> statement-breakpoint
CREATE INDEX "load_active" ON "mattock"."load" USING btree ("run_id") WHERE state in ('ready', 'running');--> statement-breakpoint
CREATE INDEX "run_created_at_index" ON "mattock"."run" USING btree ("created_at" DESC NULLS LAST);--> statement-breakpoint
CREATE INDEX "run_job_created_at_index" ON "mattock"."run" USING btree ("job","created_at" DESC NULLS LAST);--> statement-breakpoint
CREATE INDEX "run_active" ON "mattock"."run" USING btree ("priority","id") WHERE state = 'running';--> statement-breakpoint
CREATE INDEX "session_expires_at_index" ON "mattock"."session" USING btree ("expires_at");