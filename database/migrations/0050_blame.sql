ALTER TABLE "mattock"."load" ADD COLUMN "died_in" text;--> statement-breakpoint
ALTER TABLE "mattock"."load" ADD COLUMN "unblamed" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
-- A worker that ended is held against a load only where the load can have been the cause: it ran alone there, memory ran
-- out (leave_worker), or two workers ended in the same step of it. One that runs in a process of its own ends no worker.
drop function mattock.give_back(bigint, boolean);--> statement-breakpoint
create function mattock.give_back(p_load bigint, p_died boolean, p_alone boolean default true) returns void language plpgsql as $$
declare
  l record;
  v_steps text;
begin
  select a.run_id, a.part, a.lane, a.let_go is not null as let, a.awaits, r.stopping into l from mattock.load a join mattock.run r on r.id = a.run_id where a.id = p_load;
  insert into mattock.load_attempt (load_id, attempt, worker, host, taken_at, ended_at, why)
  select a.id, a.attempt, a.worker, w.host, a.taken_at, clock_timestamp(),
    case when a.awaits is not null then 'waited for run ' || a.awaits when p_died then 'its worker ended' else 'its worker let go of it' end
  from mattock.load a left join mattock.worker w on w.id = a.worker where a.id = p_load and a.attempt > 0
  on conflict do nothing;
  -- a step that runs has no record: where a load was is told by what it had behind it
  select coalesce(string_agg(s.position::text, ' ' order by s.position), '') into v_steps from mattock.load_step s
  where s.load_id = p_load and s.state <> 'running';
  if l.stopping then
    update mattock.load set state = 'stopped', worker = null, waits_for = null, awaits = null, ended_at = mattock.run_now(run_id),
      error = jsonb_build_object('step', null, 'code', 'stopped', 'message', case when l.awaits is null then 'its worker ended while it was being stopped' else 'stopped while it waited for run ' || l.awaits end,
        'effect', 'the step that ran was rolled back; what steps before it had committed stays', 'advice', 'rerun it')
    where id = p_load;
    perform mattock.count_moves(l.run_id, l.part, 'running', 'stopped', 1);
    perform mattock.advance_run(l.run_id);
  else
    update mattock.load set state = 'waiting', worker = null, waits_for = null, awaits = null,
      rank = case when awaits is null then rank else least(rank, -1) end,
      deaths = deaths + case when not p_died or deaths >= 2 then 0 when p_alone then 1 when died_in = v_steps then 1 + unblamed else 0 end,
      unblamed = case when not p_died then unblamed when p_alone or died_in = v_steps then 0 else 1 end,
      died_in = case when p_died then v_steps else died_in end
    where id = p_load;
    perform mattock.count_moves(l.run_id, l.part, 'running', 'waiting', 1);
    update mattock.run_lane set waiting = waiting + 1 where run_id = l.run_id and part = l.part and lane = l.lane;
    update mattock.run_part set let_go = let_go + l.let::int where run_id = l.run_id and part = l.part;
    perform mattock.call_workers();
  end if;
  perform pg_notify('mattock', json_build_object('run', l.run_id)::text);
end $$;
--> statement-breakpoint
create or replace function mattock.take_over(p_silent interval) returns integer language plpgsql as $$
declare
  l record;
  taken integer := 0;
begin
  perform mattock.lock_dispatch();
  for l in select a.id, w.id is null as died, count(*) over (partition by a.worker) = 1 as alone from mattock.load a
           left join mattock.worker w on w.id = a.worker and w.beat_at > clock_timestamp() - p_silent
           where a.state = 'running' and a.awaits is null
             and (w.id is null or a.taken_at < clock_timestamp() - p_silent and w.held_at > a.taken_at + p_silent / 2 and not a.id = any (w.holding)) loop
    perform mattock.give_back(l.id, l.died, l.alone);
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
