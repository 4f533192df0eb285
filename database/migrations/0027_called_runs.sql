ALTER TABLE "mattock"."load" ADD COLUMN "awaits" integer;--> statement-breakpoint
ALTER TABLE "mattock"."load" ADD COLUMN "yielded" integer;--> statement-breakpoint
ALTER TABLE "mattock"."load_step" ADD COLUMN "error" jsonb;--> statement-breakpoint
ALTER TABLE "mattock"."run" ADD COLUMN "called_by_load" bigint;--> statement-breakpoint
ALTER TABLE "mattock"."run" ADD COLUMN "called_by_step" text;--> statement-breakpoint
CREATE INDEX "load_awaits" ON "mattock"."load" USING btree ("awaits") WHERE awaits is not null;--> statement-breakpoint
CREATE UNIQUE INDEX "run_called_by" ON "mattock"."run" USING btree ("called_by_load","called_by_step") WHERE called_by_load is not null;
--> statement-breakpoint
-- Runs that a step of a load begins. Until the run has ended the load keeps its place in its part, and has no worker and uses
-- no connection, so that runs that wait for runs never keep each other from going on. The functions are those of 0020.
create or replace function mattock.admit(p_worker integer, p_count integer) returns setof mattock.taken language plpgsql as $$
declare
  p record;
  l record;
  v_left integer := p_count;
  v_free integer;
  v_used jsonb;
  v_taken mattock.taken;
begin
  -- one that is not known, or takes nothing more, may have asked before it left (its column comes with 0023)
  if v_left <= 0 or not exists (select 1 from mattock.worker where id = p_worker and not draining) then return; end if;
  -- who takes is there, though its beat may be late
  update mattock.worker set beat_at = clock_timestamp() where id = p_worker and beat_at < clock_timestamp() - interval '500 ms';
  for p in
    select o.run_id, o.part, o.state, o.at_once - o.running as free, r.environment, r.clock_offset, r.plan_id
    from mattock.run_part o join mattock.run r on r.id = o.run_id
    where (o.state = 'running' or o.let_go > 0) and o.waiting > 0 and (o.running < o.at_once or o.let_go > 0) and r.state = 'running' and not r.stopping
    -- of parts that run side by side the one whose share of places is the least filled
    order by r.priority, r.id, o.running::float8 / o.at_once, o.part
  loop
    if v_used is null then
      select coalesce(jsonb_object_agg(key, n), '{}') into v_used from (
        select r.environment || ' ' || c.name as key, count(*) as n from mattock.load a join mattock.run r on r.id = a.run_id
          join mattock.run_lane n on n.run_id = a.run_id and n.part = a.part and n.lane = a.lane, unnest(n.connections) c (name)
        where a.state = 'running' and a.awaits is null group by 1) u;
    end if;
    v_free := case when p.state = 'running' then p.free else v_left end;
    while v_free > 0 and v_left > 0 loop
      -- of the lanes that have room, the one whose next load comes first
      select n.lane, n.connections, x.id into l
      from mattock.run_lane n cross join lateral (
        select w.id, w.rank, w.number from mattock.load w
        where w.run_id = n.run_id and w.part = n.part and w.lane = n.lane and w.state = 'waiting' and (p.state = 'running' or w.let_go is not null)
        order by w.rank, w.number limit 1) x
      where n.run_id = p.run_id and n.part = p.part and n.waiting > 0
        and not exists (select 1 from mattock.connection c where c.name = any (n.connections) and c.cap is not null
          and c.cap <= coalesce((v_used ->> (p.environment || ' ' || c.name))::integer, 0))
      order by x.rank, x.number limit 1;
      exit when not found;
      update mattock.load a set state = 'running', attempt = a.attempt + 1, worker = p_worker, taken_at = clock_timestamp(), waits_for = null,
        started_at = case when a.yielded = a.attempt then a.started_at else clock_timestamp() + make_interval(secs => p.clock_offset / 1000.0) end, ended_at = null, error = null, cause = null
      where a.id = l.id
      returning a.id, a.attempt, a.run_id, p.plan_id, a.number, a.part, a.started_at, a.deaths, a.repeats into v_taken;
      update mattock.run_part set waiting = waiting - 1, running = running + 1,
        let_go = let_go - (select (let_go is not null)::int from mattock.load where id = l.id)
      where run_id = p.run_id and part = p.part;
      update mattock.run_lane set waiting = waiting - 1 where run_id = p.run_id and part = p.part and lane = l.lane;
      v_used := v_used || coalesce((select jsonb_object_agg(p.environment || ' ' || c.name, coalesce((v_used ->> (p.environment || ' ' || c.name))::integer, 0) + 1)
        from unnest(l.connections) c (name)), '{}');
      v_free := v_free - 1;
      v_left := v_left - 1;
      return next v_taken;
    end loop;
    exit when v_left = 0;
  end loop;
end $$;
--> statement-breakpoint
create or replace function mattock.give_back(p_load bigint, p_died boolean) returns void language plpgsql as $$
declare
  l record;
begin
  select a.run_id, a.part, a.lane, a.let_go is not null as let, a.awaits, r.stopping into l from mattock.load a join mattock.run r on r.id = a.run_id where a.id = p_load;
  if l.stopping then
    update mattock.load set state = 'stopped', worker = null, waits_for = null, awaits = null, ended_at = mattock.run_now(run_id),
      error = jsonb_build_object('step', null, 'code', 'stopped', 'message', case when l.awaits is null then 'its worker ended while it was being stopped' else 'stopped while it waited for run ' || l.awaits end,
        'effect', 'the step that ran was rolled back; what steps before it had committed stays', 'advice', 'rerun it')
    where id = p_load;
    perform mattock.count_moves(l.run_id, l.part, 'running', 'stopped', 1);
    perform mattock.advance_run(l.run_id);
  else
    update mattock.load set state = 'waiting', worker = null, waits_for = null, awaits = null,
      rank = case when awaits is null then rank else least(rank, -1) end, deaths = deaths + p_died::int where id = p_load;
    perform mattock.count_moves(l.run_id, l.part, 'running', 'waiting', 1);
    update mattock.run_lane set waiting = waiting + 1 where run_id = l.run_id and part = l.part and lane = l.lane;
    update mattock.run_part set let_go = let_go + l.let::int where run_id = l.run_id and part = l.part;
    perform mattock.call_workers();
  end if;
  perform pg_notify('mattock', json_build_object('run', l.run_id)::text);
end $$;
--> statement-breakpoint
create or replace function mattock.advance_run(p_run integer) returns void language plpgsql as $$
declare
  r mattock.run%rowtype;
  p mattock.run_part%rowtype;
  v_bad boolean;
  v_moved boolean;
  v_next integer;
  v_load bigint;
begin
  select * into r from mattock.run where id = p_run;
  if r.state not in ('running', 'held') then return; end if;
  loop
    update mattock.run_part e set ended_at = mattock.run_now(p_run),
      state = case when hold and not r.stopping then 'held' else mattock.end_of(e) end
    where run_id = p_run and state = 'running' and waiting = 0 and running = 0 and held = 0;
    v_moved := found;
    if r.state = 'running' and not r.stopping then
      for p in select * from mattock.run_part w where run_id = p_run and state = 'waiting' and not exists (
                 select 1 from mattock.run_part b where b.run_id = p_run and b.part = any (w.waits) and b.state not in ('done', 'failed', 'skipped', 'stopped'))
               order by part loop
        select coalesce(bool_or(b.state in ('failed', 'stopped') or b.state = 'skipped' and not b.passed), false)
        into v_bad from mattock.run_part b where b.run_id = p_run and b.part = any (p.waits);
        v_moved := true;
        if p."when" = 'ended' or p."when" = 'done' and not v_bad or p."when" = 'failed' and v_bad then
          perform mattock.begin_part(p_run, p.part);
        elsif p."when" = 'done' then
          perform mattock.skip_part(p_run, p.part, false, 'a part before this one failed');
        elsif p."when" = 'failed' then
          perform mattock.skip_part(p_run, p.part, true, 'nothing before this part failed');
        else
          update mattock.run_part set state = 'asking', asked_at = clock_timestamp() where run_id = p_run and part = p.part;
          perform graphile_worker.add_job('decide', json_build_object('run', p_run, 'part', p.part), job_key := 'decide:' || p_run || ':' || p.part, max_attempts := 1, priority := -10);
        end if;
      end loop;
    end if;
    exit when not v_moved;
  end loop;
  if exists (select 1 from mattock.run_part where run_id = p_run and state not in ('done', 'failed', 'skipped', 'stopped')) then return; end if;
  -- loads that were let go before their part, which was left out then
  if exists (select 1 from mattock.run_part where run_id = p_run and running + held + waiting > 0) then return; end if;
  update mattock.run set ended_at = mattock.run_now(p_run), held_by = null, state =
    case when r.stopping then 'stopped'
      when exists (select 1 from mattock.run_part where run_id = p_run and (failed > 0 or state = 'failed')) then 'failed' else 'done' end
  where id = p_run;
  -- loads that began it, and waited for its end
  for v_load in select id from mattock.load where awaits = p_run and state = 'running' loop
    perform mattock.give_back(v_load, false);
  end loop;
  -- the next run of the job that waited for this one
  select min(id) into v_next from mattock.run where job = r.job and environment = r.environment and state = 'waiting';
  if v_next is not null and not exists (
    select 1 from mattock.run where job = r.job and environment = r.environment and state in ('running', 'held')) then
    update mattock.run set state = 'running', started_at = mattock.run_now(v_next) where id = v_next;
    perform mattock.advance_run(v_next);
    perform pg_notify('mattock', json_build_object('run', v_next)::text);
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
             and (w.id is null or a.taken_at < clock_timestamp() - p_silent and not a.id = any (w.holding)) loop
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
--> statement-breakpoint
create or replace function mattock.stop_run(p_run integer) returns boolean language plpgsql as $$
declare
  v_called integer;
begin
  perform mattock.lock_dispatch();
  update mattock.run set stopping = true where id = p_run and state in ('waiting', 'running', 'held');
  if not found then return false; end if;
  perform mattock.end_unrun(p_run, null, null, 'stopped', null, null);
  -- one that waited for another run of its job has begun to end
  update mattock.run set state = 'running' where id = p_run and state = 'waiting';
  update mattock.run_part set state = 'stopped', ended_at = mattock.run_now(p_run) where run_id = p_run and state in ('waiting', 'asking', 'held');
  -- what its loads began is stopped, too; with the end of it they end
  for v_called in select awaits from mattock.load where run_id = p_run and state = 'running' and awaits is not null loop
    perform mattock.stop_run(v_called);
  end loop;
  perform mattock.advance_run(p_run);
  perform pg_notify('mattock', json_build_object('run', p_run)::text);
  return true;
end $$;
--> statement-breakpoint
-- A load stops to wait for a run that one of its steps began. Where that has ended meanwhile, it goes on at once.
create function mattock.await_run(p_load bigint, p_attempt integer, p_run integer) returns void language plpgsql as $$
declare
  l record;
begin
  perform mattock.lock_dispatch();
  update mattock.load a set awaits = p_run, yielded = p_attempt, worker = null, waits_for = 'run ' || p_run || ' of ' || (select job from mattock.run where id = p_run)
  from mattock.run r where a.id = p_load and a.attempt = p_attempt and a.state = 'running' and r.id = a.run_id
  returning a.run_id, r.stopping into l;
  if not found then return; end if;
  if l.stopping then perform mattock.stop_run(p_run); end if;
  if exists (select 1 from mattock.load where id = p_load and awaits = p_run)
    and not exists (select 1 from mattock.run where id = p_run and state in ('waiting', 'running', 'held')) then
    perform mattock.give_back(p_load, false);
  end if;
  perform mattock.call_workers();
  perform pg_notify('mattock', json_build_object('run', l.run_id)::text);
end $$;
