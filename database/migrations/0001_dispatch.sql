-- The state of a run is rows, changed here and nowhere else, one transaction at a time: every function that moves
-- loads takes the same advisory lock first, so that caps hold over all workers.

create function mattock.lock_dispatch() returns void language sql as $$
  select pg_advisory_xact_lock(7301954)
$$;
--> statement-breakpoint
-- A run's own clock: the demo's history runs with the clock of its day.
create function mattock.run_now(p_run integer) returns timestamptz language sql stable as $$
  select clock_timestamp() + make_interval(secs => clock_offset / 1000.0) from mattock.run where id = p_run
$$;
--> statement-breakpoint
-- Moves a run on to its next part, or ends it. A part that comes after a failure is skipped.
create function mattock.advance_run(p_run integer) returns void language plpgsql as $$
declare
  r mattock.run%rowtype;
  next_part integer;
begin
  select * into r from mattock.run where id = p_run;
  if r.state <> 'running' then return; end if;
  if exists (select 1 from mattock.load where run_id = p_run and state in ('ready', 'running')) then return; end if;
  if r.stopping then
    update mattock.load set state = 'stopped' where run_id = p_run and state = 'waiting';
    update mattock.run set state = 'stopped', ended_at = mattock.run_now(p_run) where id = p_run;
    return;
  end if;
  select min(part) into next_part from mattock.load where run_id = p_run and state = 'waiting';
  if next_part is not null and next_part <> r.part
     and exists (select 1 from mattock.load where run_id = p_run and state in ('failed', 'stopped')) then
    update mattock.load set state = 'skipped', ended_at = mattock.run_now(p_run),
      error = jsonb_build_object('step', null, 'code', 'earlier-part', 'message', 'a part before this one failed',
        'effect', 'nothing was written', 'advice', 'mend what failed, then rerun'),
      cause = 'a part before this one failed'
    where run_id = p_run and state = 'waiting';
    next_part := null;
  end if;
  if next_part is null then
    update mattock.run set ended_at = mattock.run_now(p_run), state =
      case when exists (select 1 from mattock.load where run_id = p_run and state = 'failed') then 'failed' else 'done' end
    where id = p_run;
  elsif next_part <> r.part then
    update mattock.run set part = next_part,
      at_once = coalesce((select (p.parts -> next_part ->> 'atOnce')::integer from mattock.plan p where p.id = r.plan_id), 1)
    where id = p_run;
  end if;
end $$;
--> statement-breakpoint
-- Admits waiting loads of every running run, by priority, within at_once and the connections' caps.
create function mattock.dispatch() returns integer language plpgsql as $$
declare
  r record;
  l record;
  free integer;
  admitted integer := 0;
begin
  perform mattock.lock_dispatch();
  for r in select id from mattock.run where state = 'running' order by priority, id loop
    perform mattock.advance_run(r.id);
  end loop;
  for r in select id, part, at_once, environment, priority from mattock.run
           where state = 'running' and not stopping order by priority, id loop
    select r.at_once - count(*) into free from mattock.load where run_id = r.id and state in ('ready', 'running');
    continue when free <= 0;
    for l in select id, connections from mattock.load
             where run_id = r.id and part = r.part and state = 'waiting' order by number limit free * 4 loop
      exit when free <= 0;
      continue when exists (
        select 1 from mattock.connection c
        where c.name = any (l.connections) and c.cap is not null and c.cap <= (
          select count(*) from mattock.load a join mattock.run ar on ar.id = a.run_id
          where a.state in ('ready', 'running') and c.name = any (a.connections) and ar.environment = r.environment));
      update mattock.load set state = 'ready' where id = l.id;
      perform graphile_worker.add_job('load', json_build_object('load', l.id), job_key := 'load:' || l.id,
        max_attempts := 1, priority := r.priority);
      free := free - 1;
      admitted := admitted + 1;
    end loop;
  end loop;
  return admitted;
end $$;
--> statement-breakpoint
-- A worker takes a load that was admitted; returns nothing where another was first or the run was stopped.
create function mattock.start_load(p_load bigint, p_worker integer)
returns table (load_id bigint, attempt integer, run_id integer, plan_id integer, number integer, part integer, started_at timestamptz)
language sql as $$
  update mattock.load l
  set state = 'running', attempt = l.attempt + 1, worker = p_worker,
    started_at = clock_timestamp() + make_interval(secs => r.clock_offset / 1000.0), ended_at = null, error = null, cause = null
  from mattock.run r
  where l.id = p_load and l.state = 'ready' and r.id = l.run_id and r.state = 'running' and not r.stopping
  returning l.id, l.attempt, l.run_id, r.plan_id, l.number, l.part, l.started_at
$$;
--> statement-breakpoint
-- Records how a load ended and lets the next ones in, in one transaction. False where this attempt is not the
-- load's any more: another worker took it over.
create function mattock.finish_load(p_load bigint, p_attempt integer, p_state text, p_counts bigint[], p_error jsonb, p_cause text)
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
  perform mattock.dispatch();
  perform pg_notify('mattock', json_build_object('run', v_run)::text);
  return true;
end $$;
--> statement-breakpoint
create function mattock.stop_run(p_run integer) returns boolean language plpgsql as $$
begin
  perform mattock.lock_dispatch();
  update mattock.run set stopping = true where id = p_run and state = 'running';
  if not found then return false; end if;
  perform graphile_worker.remove_job('load:' || id) from mattock.load where run_id = p_run and state = 'ready';
  update mattock.load set state = 'stopped' where run_id = p_run and state in ('waiting', 'ready');
  perform mattock.advance_run(p_run);
  perform pg_notify('mattock', json_build_object('run', p_run)::text);
  return true;
end $$;
--> statement-breakpoint
-- Gives the loads of workers that fell silent to others. A load that outlives five workers is set failed: it is
-- likely to be what ends them.
create function mattock.take_over(p_silent interval) returns integer language plpgsql as $$
declare
  l record;
  taken integer := 0;
begin
  perform mattock.lock_dispatch();
  for l in select a.id, a.attempt, a.run_id, r.priority from mattock.load a join mattock.run r on r.id = a.run_id
           where a.state = 'running'
             and not exists (select 1 from mattock.worker w where w.id = a.worker and w.beat_at > clock_timestamp() - p_silent) loop
    if l.attempt >= 5 then
      update mattock.load set state = 'failed', ended_at = mattock.run_now(l.run_id), cause = 'five workers ended while running it',
        error = jsonb_build_object('step', null, 'code', 'worker-ended', 'message', 'five workers ended while running it',
          'effect', 'nothing was written', 'advice', 'look at the memory and the log of the workers')
      where id = l.id;
    else
      update mattock.load set state = 'ready', worker = null where id = l.id;
      perform graphile_worker.add_job('load', json_build_object('load', l.id), job_key := 'load:' || l.id,
        max_attempts := 1, priority := l.priority);
    end if;
    taken := taken + 1;
  end loop;
  delete from mattock.worker where beat_at < clock_timestamp() - p_silent;
  if taken > 0 then perform mattock.dispatch(); end if;
  return taken;
end $$;
