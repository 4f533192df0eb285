ALTER TABLE "mattock"."worker" ADD COLUMN "held_at" timestamp with time zone DEFAULT now() NOT NULL;--> statement-breakpoint
-- As in 0020 and 0027. A load that stops for a look in a run that is being stopped has stopped; and what a worker does not hold
-- counts only by a list that it gave well after the load was taken.
create or replace function mattock.finish_load(p_load bigint, p_attempt integer, p_state text, p_counts bigint[], p_error jsonb, p_cause text, p_worker integer, p_take integer)
returns setof mattock.taken language plpgsql as $$
declare
  l record;
  v_ended integer := (p_state <> 'held')::int;
begin
  perform mattock.lock_dispatch();
  -- nobody lets a run go on that is being stopped
  if p_state = 'held' and exists (select 1 from mattock.load a join mattock.run r on r.id = a.run_id where a.id = p_load and r.stopping) then
    p_state := 'stopped';
    v_ended := 1;
  end if;
  update mattock.load a
  set state = p_state, ended_at = clock_timestamp() + make_interval(secs => r.clock_offset / 1000.0), waits_for = null,
    read = p_counts[1], written = p_counts[2], unchanged = p_counts[3], rejected = p_counts[4], filtered = p_counts[5],
    bytes = p_counts[6], error = p_error, cause = p_cause
  from mattock.run r
  where a.id = p_load and a.attempt = p_attempt and a.state = 'running' and r.id = a.run_id
  returning a.run_id, a.part, a.slice_from, a.slice_to, r.job, r.environment into l;
  if found then
    update mattock.run_part set running = running - 1, held = held + (p_state = 'held')::int, done = done + (p_state = 'done')::int,
      failed = failed + (p_state = 'failed')::int, skipped = skipped + (p_state = 'skipped')::int, stopped = stopped + (p_state = 'stopped')::int,
      -- what a held one did so far is counted when it ends
      read = read + v_ended * p_counts[1], written = written + v_ended * p_counts[2], unchanged = unchanged + v_ended * p_counts[3],
      rejected = rejected + v_ended * p_counts[4], filtered = filtered + v_ended * p_counts[5], bytes = bytes + v_ended * p_counts[6],
      unbalanced = unbalanced + v_ended * (p_counts[1] <> p_counts[2] + p_counts[3] + p_counts[4] + p_counts[5])::int
    where run_id = l.run_id and part = l.part;
    if p_state = 'done' and l.slice_from is not null then
      insert into mattock.loaded_slice (job, environment, slice_from, slice_to)
      values (l.job, l.environment, l.slice_from, l.slice_to) on conflict do nothing;
    end if;
    perform mattock.advance_run(l.run_id);
    perform pg_notify('mattock', json_build_object('run', l.run_id)::text);
  end if;
  return query select * from mattock.admit(p_worker, p_take);
  -- what this worker does not take, another may
  if exists (
    select 1 from mattock.run_part p join mattock.run r on r.id = p.run_id
    where p.state = 'running' and p.waiting > 0 and p.running < p.at_once and r.state = 'running' and not r.stopping) then
    perform mattock.call_workers();
  end if;
end $$;
--> statement-breakpoint
create or replace function mattock.take_over(p_silent interval) returns integer language plpgsql as $$
declare
  l record;
  taken integer := 0;
begin
  perform mattock.lock_dispatch();
  for l in select a.id, w.id is null as died from mattock.load a
           left join mattock.worker w on w.id = a.worker and w.beat_at > clock_timestamp() - p_silent
           where a.state = 'running' and a.awaits is null
             and (w.id is null or a.taken_at < clock_timestamp() - p_silent and w.held_at > a.taken_at + p_silent / 2 and not a.id = any (w.holding)) loop
    perform mattock.give_back(l.id, l.died);
    taken := taken + 1;
  end loop;
  for l in select p.run_id, p.part from mattock.run_part p join mattock.run r on r.id = p.run_id
           where r.state in ('running', 'held') and p.state = 'asking' and p.asked_at < clock_timestamp() - p_silent
             and mattock.job_is_lost('decide:' || p.run_id || ':' || p.part, p_silent) loop
    update mattock.run_part set asked_at = clock_timestamp() where run_id = l.run_id and part = l.part;
    perform graphile_worker.add_job('decide', json_build_object('run', l.run_id, 'part', l.part),
      job_key := 'decide:' || l.run_id || ':' || l.part, max_attempts := 1, priority := -10);
  end loop;
  delete from mattock.worker where beat_at < clock_timestamp() - p_silent;
  return taken;
end $$;
