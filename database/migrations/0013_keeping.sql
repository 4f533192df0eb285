CREATE TABLE "mattock"."invitation" (
	"hash" text PRIMARY KEY NOT NULL,
	"role" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"expires_at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "mattock"."retention" (
	"kind" text PRIMARY KEY NOT NULL,
	"days" integer,
	"updated_at" timestamp with time zone DEFAULT now() NOT NULL,
	"updated_by" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "mattock"."pace" (
	"address" text PRIMARY KEY NOT NULL,
	"asked" timestamp with time zone[] DEFAULT '{}' NOT NULL
);
--> statement-breakpoint
CREATE TABLE "mattock"."loaded_slice" (
	"job" text NOT NULL,
	"environment" text NOT NULL,
	"slice_from" timestamp with time zone NOT NULL,
	"slice_to" timestamp with time zone NOT NULL,
	CONSTRAINT "loaded_slice_job_environment_slice_from_slice_to_pk" PRIMARY KEY("job","environment","slice_from","slice_to")
);
--> statement-breakpoint
CREATE INDEX "loaded_slice_job_environment_slice_to_index" ON "mattock"."loaded_slice" USING btree ("job","environment","slice_to" DESC NULLS LAST);--> statement-breakpoint
CREATE INDEX "load_step_rejects" ON "mattock"."load_step" USING btree ("load_id") WHERE reject_file is not null;
--> statement-breakpoint
insert into mattock.loaded_slice (job, environment, slice_from, slice_to)
select distinct r.job, r.environment, l.slice_from, l.slice_to from mattock.load l join mattock.run r on r.id = l.run_id
where l.state = 'done' and l.slice_from is not null
on conflict do nothing;
--> statement-breakpoint
-- As in 0001, and a slice that was loaded is remembered beyond its run.
create or replace function mattock.finish_load(p_load bigint, p_attempt integer, p_state text, p_counts bigint[], p_error jsonb, p_cause text)
returns boolean language plpgsql as $$
declare
  v_run integer;
begin
  perform mattock.lock_dispatch();
  update mattock.load l
  set state = p_state, ended_at = clock_timestamp() + make_interval(secs => r.clock_offset / 1000.0),
    read = p_counts[1], written = p_counts[2], unchanged = p_counts[3], rejected = p_counts[4], filtered = p_counts[5],
    bytes = p_counts[6], error = p_error, cause = p_cause
  from mattock.run r
  where l.id = p_load and l.attempt = p_attempt and l.state = 'running' and r.id = l.run_id
  returning l.run_id into v_run;
  if v_run is null then return false; end if;
  if p_state = 'done' then
    insert into mattock.loaded_slice (job, environment, slice_from, slice_to)
    select r.job, r.environment, l.slice_from, l.slice_to from mattock.load l join mattock.run r on r.id = l.run_id
    where l.id = p_load and l.slice_from is not null
    on conflict do nothing;
  end if;
  perform mattock.dispatch();
  perform pg_notify('mattock', json_build_object('run', v_run)::text);
  return true;
end $$;
--> statement-breakpoint
-- Lets a request go where fewer than p_per_minute went in the last minute, and counts it; else says how many
-- milliseconds to wait. Whoever asks at the same moment waits for the row, so the limit holds over all processes.
create function mattock.keep_pace(p_address text, p_per_minute integer) returns integer language plpgsql as $$
declare
  v_asked timestamptz[];
begin
  insert into mattock.pace (address) values (p_address) on conflict do nothing;
  select asked into v_asked from mattock.pace where address = p_address for update;
  v_asked := array(select t from unnest(v_asked) t where t > clock_timestamp() - interval '1 minute' order by t);
  if cardinality(v_asked) < p_per_minute then
    update mattock.pace set asked = v_asked || clock_timestamp() where address = p_address;
    return 0;
  end if;
  return greatest(1, ceil(extract(epoch from v_asked[cardinality(v_asked) - p_per_minute + 1] + interval '1 minute' - clock_timestamp()) * 1000))::integer;
end $$;
