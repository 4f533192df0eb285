ALTER TABLE "mattock"."load" ADD COLUMN "taken_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "mattock"."load" ADD COLUMN "deaths" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "mattock"."load" ADD COLUMN "waits_for" text;--> statement-breakpoint
ALTER TABLE "mattock"."run" ADD COLUMN "press" text;--> statement-breakpoint
ALTER TABLE "mattock"."worker" ADD COLUMN "holding" bigint[] DEFAULT '{}' NOT NULL;--> statement-breakpoint
CREATE UNIQUE INDEX "run_press" ON "mattock"."run" USING btree ("plan_id","press");--> statement-breakpoint
CREATE INDEX "run_rerun_of" ON "mattock"."run" USING btree ("rerun_of") WHERE rerun_of is not null;--> statement-breakpoint
-- Is there nobody who will take a thing that is on the queue: no job that can be taken, nor one that was taken lately?
-- A worker that dies between taking a job and starting what it names leaves such a thing.
create function mattock.job_is_lost(p_key text, p_silent interval) returns boolean language sql stable as $$
  select not exists (
    select 1 from graphile_worker._private_jobs j
    where j.key = p_key and (j.is_available or j.locked_at > clock_timestamp() - p_silent))
$$;
--> statement-breakpoint
drop function mattock.start_load(bigint, integer);
--> statement-breakpoint
-- A worker takes a load that was admitted; returns nothing where another was first or the run was stopped.
create function mattock.start_load(p_load bigint, p_worker integer)
returns table (load_id bigint, attempt integer, run_id integer, plan_id integer, number integer, part integer, started_at timestamptz, deaths integer, repeats bigint)
language sql as $$
  update mattock.load l
  set state = 'running', attempt = l.attempt + 1, worker = p_worker, taken_at = clock_timestamp(), waits_for = null,
    started_at = clock_timestamp() + make_interval(secs => r.clock_offset / 1000.0), ended_at = null, error = null, cause = null
  from mattock.run r
  where l.id = p_load and l.state = 'ready' and r.id = l.run_id and r.state = 'running' and not r.stopping
  returning l.id, l.attempt, l.run_id, r.plan_id, l.number, l.part, l.started_at, l.deaths, l.repeats
$$;
--> statement-breakpoint
-- Gives a running load back to the queue, or, where its run is being stopped, ends it.
create function mattock.give_back(p_load bigint, p_died boolean) returns void language plpgsql as $$
declare
  v_run mattock.run%rowtype;
begin
  select r.* into v_run from mattock.load l join mattock.run r on r.id = l.run_id where l.id = p_load;
  if v_run.stopping then
    update mattock.load set state = 'stopped', worker = null, waits_for = null, ended_at = mattock.run_now(run_id),
      error = jsonb_build_object('step', null, 'code', 'stopped', 'message', 'its worker ended while it was being stopped',
        'effect', 'the step that ran was rolled back; what steps before it had committed stays', 'advice', 'rerun it')
    where id = p_load;
  else
    update mattock.load set state = 'ready', worker = null, waits_for = null, deaths = deaths + p_died::int where id = p_load;
    perform graphile_worker.add_job('load', json_build_object('load', p_load), job_key := 'load:' || p_load,
      max_attempts := 1, priority := v_run.priority);
  end if;
  perform pg_notify('mattock', json_build_object('run', v_run.id)::text);
end $$;
--> statement-breakpoint
-- Gives to others: the loads of workers that fell silent; loads that their worker, though it beats, does not hold;
-- loads that were admitted and that nobody will take.
create or replace function mattock.take_over(p_silent interval) returns integer language plpgsql as $$
declare
  l record;
  taken integer := 0;
begin
  perform mattock.lock_dispatch();
  for l in select a.id, w.id is null as died from mattock.load a
           left join mattock.worker w on w.id = a.worker and w.beat_at > clock_timestamp() - p_silent
           where a.state = 'running'
             and (w.id is null or a.taken_at < clock_timestamp() - p_silent and not a.id = any (w.holding)) loop
    perform mattock.give_back(l.id, l.died);
    taken := taken + 1;
  end loop;
  for l in select a.id from mattock.load a where a.state = 'ready' and mattock.job_is_lost('load:' || a.id, p_silent) loop
    update mattock.load set state = 'running' where id = l.id;
    perform mattock.give_back(l.id, false);
    taken := taken + 1;
  end loop;
  delete from mattock.worker where beat_at < clock_timestamp() - p_silent;
  if taken > 0 then perform mattock.dispatch(); end if;
  return taken;
end $$;
--> statement-breakpoint
-- A worker that is about to end hard lets go of what it holds. `p_died`: those that are likely to be why.
create function mattock.leave_worker(p_worker integer, p_died bigint[]) returns void language plpgsql as $$
declare
  l record;
begin
  perform mattock.lock_dispatch();
  for l in select id from mattock.load where state = 'running' and worker = p_worker loop
    perform mattock.give_back(l.id, l.id = any (p_died));
  end loop;
  delete from mattock.worker where id = p_worker;
  perform mattock.dispatch();
end $$;
--> statement-breakpoint
create or replace function mattock.take_over_surveys(p_silent interval) returns integer language plpgsql as $$
declare
  s record;
  taken integer := 0;
begin
  perform mattock.lock_dispatch();
  for s in select id, attempt, state, stopping from mattock.survey a
           where state = 'running'
             and not exists (select 1 from mattock.worker w where w.id = a.worker and w.beat_at > clock_timestamp() - p_silent)
             or state = 'waiting' and mattock.job_is_lost('survey:' || id, p_silent) loop
    if s.stopping then
      update mattock.survey set state = 'stopped', ended_at = clock_timestamp() where id = s.id;
    elsif s.attempt >= 3 then
      update mattock.survey set state = 'failed', ended_at = clock_timestamp(), fault = 'three workers ended while running it; leave out the files that are likely to be why' where id = s.id;
    else
      update mattock.survey set state = 'waiting', worker = null where id = s.id;
      perform graphile_worker.add_job('survey', json_build_object('survey', s.id), job_key := 'survey:' || s.id, max_attempts := 1);
    end if;
    taken := taken + 1;
  end loop;
  return taken;
end $$;
--> statement-breakpoint
create or replace function mattock.end_lost_tries(p_silent interval) returns integer language plpgsql as $$
declare
  v_ended integer;
begin
  perform graphile_worker.add_job('try', json_build_object('try', id), job_key := 'try:' || id, max_attempts := 1, priority := -10)
  from mattock.try where state = 'waiting' and mattock.job_is_lost('try:' || id, p_silent);
  with lost as (
    update mattock.try t set state = 'failed', fault = 'the worker that ran it ended', ended_at = clock_timestamp()
    where state = 'running'
      and not exists (select 1 from mattock.worker w where w.id = t.worker and w.beat_at > clock_timestamp() - p_silent)
    returning id)
  update mattock.try_step s set state = 'stopped' from lost where s.try_id = lost.id and s.state = 'running';
  get diagnostics v_ended = row_count;
  return v_ended;
end $$;
--> statement-breakpoint
-- Jobs of the queue that nothing will ever take: what they named was given to another job.
create function mattock.sweep_queue() returns integer language plpgsql as $$
declare
  v_swept integer;
begin
  perform graphile_worker.complete_jobs(array(
    select id from graphile_worker._private_jobs
    where attempts >= max_attempts and (locked_at is null or locked_at < now() - interval '4 hours')));
  get diagnostics v_swept = row_count;
  return v_swept;
end $$;
