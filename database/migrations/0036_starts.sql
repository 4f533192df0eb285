CREATE TABLE "mattock"."shown_clock" (
	"id" integer PRIMARY KEY DEFAULT 1 NOT NULL,
	"real" timestamp with time zone NOT NULL,
	"shown" timestamp with time zone NOT NULL,
	"rate" double precision DEFAULT 1 NOT NULL
);
--> statement-breakpoint
-- the time that starts go by: the real one, but in the demo, which may let it go quicker, and in tests
create function mattock.clock() returns timestamptz language sql volatile as $$
  select coalesce((select shown + (clock_timestamp() - real) * rate from mattock.shown_clock), clock_timestamp())
$$;
--> statement-breakpoint
CREATE TABLE "mattock"."ended_run" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"run_id" integer NOT NULL,
	"at" timestamp with time zone DEFAULT mattock.clock() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "mattock"."occasion" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"environment" text NOT NULL,
	"job" text NOT NULL,
	"start" text NOT NULL,
	"kind" text NOT NULL,
	"key" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"state" text NOT NULL,
	"cause" text NOT NULL,
	"why" text,
	"from" timestamp with time zone,
	"to" timestamp with time zone,
	"parameters" jsonb DEFAULT '{}'::jsonb NOT NULL,
	"seen" jsonb,
	"decided_at" timestamp with time zone NOT NULL,
	"not_before" timestamp with time zone NOT NULL,
	"tries" integer DEFAULT 0 NOT NULL,
	"begun_at" timestamp with time zone,
	"plan_id" integer,
	"run_id" integer
);
--> statement-breakpoint
CREATE TABLE "mattock"."pause" (
	"id" serial PRIMARY KEY NOT NULL,
	"environment" text NOT NULL,
	"job" text,
	"start" text,
	"from" timestamp with time zone NOT NULL,
	"until" timestamp with time zone,
	"why" text NOT NULL,
	"by" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"ended_by" text
);
--> statement-breakpoint
CREATE TABLE "mattock"."start_seen" (
	"environment" text NOT NULL,
	"job" text NOT NULL,
	"start" text NOT NULL,
	"dataset" text NOT NULL,
	"run_id" integer NOT NULL,
	"at" timestamp with time zone NOT NULL,
	CONSTRAINT "start_seen_environment_job_start_dataset_pk" PRIMARY KEY("environment","job","start","dataset")
);
--> statement-breakpoint
CREATE TABLE "mattock"."start_state" (
	"environment" text NOT NULL,
	"job" text NOT NULL,
	"start" text NOT NULL,
	"kind" text NOT NULL,
	"version_id" integer NOT NULL,
	"fingerprint" text NOT NULL,
	"since" timestamp with time zone NOT NULL,
	"next_at" timestamp with time zone,
	CONSTRAINT "start_state_environment_job_start_pk" PRIMARY KEY("environment","job","start")
);
--> statement-breakpoint
ALTER TABLE "mattock"."run" ADD COLUMN "occasion_id" bigint;--> statement-breakpoint
ALTER TABLE "mattock"."run" ADD COLUMN "past" boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE "mattock"."occasion" ADD CONSTRAINT "occasion_environment_environment_name_fk" FOREIGN KEY ("environment") REFERENCES "mattock"."environment"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."pause" ADD CONSTRAINT "pause_environment_environment_name_fk" FOREIGN KEY ("environment") REFERENCES "mattock"."environment"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."start_seen" ADD CONSTRAINT "start_seen_environment_environment_name_fk" FOREIGN KEY ("environment") REFERENCES "mattock"."environment"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."start_state" ADD CONSTRAINT "start_state_environment_environment_name_fk" FOREIGN KEY ("environment") REFERENCES "mattock"."environment"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "occasion_once" ON "mattock"."occasion" USING btree ("environment","job","start","key");--> statement-breakpoint
CREATE INDEX "occasion_due" ON "mattock"."occasion" USING btree ("not_before") WHERE state = 'due';--> statement-breakpoint
CREATE INDEX "occasion_paused" ON "mattock"."occasion" USING btree ("environment","job","start") WHERE state = 'paused';--> statement-breakpoint
CREATE INDEX "occasion_at" ON "mattock"."occasion" USING btree ("environment","at" DESC NULLS LAST);--> statement-breakpoint
CREATE INDEX "occasion_job" ON "mattock"."occasion" USING btree ("job","environment","at" DESC NULLS LAST);--> statement-breakpoint
CREATE INDEX "pause_environment_from_index" ON "mattock"."pause" USING btree ("environment","from");--> statement-breakpoint
CREATE INDEX "start_state_next" ON "mattock"."start_state" USING btree ("next_at") WHERE next_at is not null;--> statement-breakpoint
CREATE UNIQUE INDEX "run_occasion" ON "mattock"."run" USING btree ("occasion_id") WHERE occasion_id is not null;
--> statement-breakpoint
-- a run that ends is noted in the same transaction, so that what begins after it is never forgotten; the demo's history begins nothing
create function mattock.note_ended_run() returns trigger language plpgsql as $$
begin
  insert into mattock.ended_run (run_id) values (new.id);
  return null;
end $$;
--> statement-breakpoint
create trigger run_ended after update of state on mattock.run for each row
  when (old.state in ('waiting', 'running', 'held') and new.state in ('done', 'failed', 'stopped', 'skipped') and not new.past)
  execute function mattock.note_ended_run();
--> statement-breakpoint
-- what is tried out in an environment that is not live begins when a person says so
create function mattock.pause_new_environment() returns trigger language plpgsql as $$
begin
  insert into mattock.pause (environment, "from", why, by, at)
  values (new.name, '2000-01-01Z', 'until somebody turns it on here', 'Mattock', mattock.clock());
  return null;
end $$;
--> statement-breakpoint
create trigger environment_paused after insert on mattock.environment for each row when (not new.live)
  execute function mattock.pause_new_environment();
--> statement-breakpoint
insert into mattock.pause (environment, "from", why, by, at)
select name, '2000-01-01Z', 'until somebody turns it on here', 'Mattock', mattock.clock() from mattock.environment where not live;
