CREATE TABLE "mattock"."mark_move" (
	"id" serial PRIMARY KEY NOT NULL,
	"environment" text NOT NULL,
	"connection" text NOT NULL,
	"name" text NOT NULL,
	"from" text,
	"to" text,
	"job" text,
	"run_id" integer,
	"load_id" bigint,
	"step" text,
	"by" text,
	"why" text,
	"at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE INDEX "mark_move_environment_connection_name_id_index" ON "mattock"."mark_move" USING btree ("environment","connection","name","id" DESC NULLS LAST);--> statement-breakpoint
CREATE INDEX "mark_move_job_environment_index" ON "mattock"."mark_move" USING btree ("job","environment");--> statement-breakpoint
CREATE UNIQUE INDEX "mark_move_once" ON "mattock"."mark_move" USING btree ("load_id","step") WHERE load_id is not null;