CREATE TABLE "mattock"."try_step" (
	"try_id" integer NOT NULL,
	"position" integer NOT NULL,
	"load" integer NOT NULL,
	"step" text NOT NULL,
	"title" text NOT NULL,
	"kind" text NOT NULL,
	"hold" boolean NOT NULL,
	"state" text DEFAULT 'waiting' NOT NULL,
	"milliseconds" bigint,
	"counts" jsonb,
	"statements" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"files" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"reject_reasons" jsonb DEFAULT '{}'::jsonb NOT NULL,
	"log" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"error" jsonb,
	"looks" jsonb DEFAULT '[]'::jsonb NOT NULL,
	CONSTRAINT "try_step_try_id_position_pk" PRIMARY KEY("try_id","position")
);
--> statement-breakpoint
CREATE TABLE "mattock"."try" (
	"id" serial PRIMARY KEY NOT NULL,
	"job" text NOT NULL,
	"title" text NOT NULL,
	"environment" text NOT NULL,
	"document" text NOT NULL,
	"ask" jsonb NOT NULL,
	"parameters" jsonb NOT NULL,
	"loads" jsonb NOT NULL,
	"state" text DEFAULT 'waiting' NOT NULL,
	"stopping" boolean DEFAULT false NOT NULL,
	"worker" integer,
	"next" integer DEFAULT 0 NOT NULL,
	"aside" jsonb NOT NULL,
	"fault" text,
	"by" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"ended_at" timestamp with time zone,
	"cleared_at" timestamp with time zone
);
--> statement-breakpoint
ALTER TABLE "mattock"."try_step" ADD CONSTRAINT "try_step_try_id_try_id_fk" FOREIGN KEY ("try_id") REFERENCES "mattock"."try"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "try_job_created_at_index" ON "mattock"."try" USING btree ("job","created_at");--> statement-breakpoint
-- A try whose worker fell silent ends: what its step had begun was rolled back, and trying again costs a click.
create function mattock.end_lost_tries(p_silent interval) returns integer language plpgsql as $$
declare
  v_ended integer;
begin
  with lost as (
    update mattock.try t set state = 'failed', fault = 'the worker that ran it ended', ended_at = clock_timestamp()
    where state = 'running'
      and not exists (select 1 from mattock.worker w where w.id = t.worker and w.beat_at > clock_timestamp() - p_silent)
    returning id)
  update mattock.try_step s set state = 'stopped' from lost where s.try_id = lost.id and s.state = 'running';
  get diagnostics v_ended = row_count;
  return v_ended;
end $$;
