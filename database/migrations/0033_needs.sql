ALTER TABLE "mattock"."connection" ADD COLUMN "needs" text[] DEFAULT '{}' NOT NULL;--> statement-breakpoint
ALTER TABLE "mattock"."worker" ADD COLUMN "tags" text[] DEFAULT '{}' NOT NULL;--> statement-breakpoint
-- As in 0027 and 0017: a worker takes only what it reaches.
create or replace function mattock.admit(p_worker integer, p_count integer) returns setof mattock.taken language plpgsql as $$
declare
  p record;
  l record;
  v_left integer := p_count;
  v_free integer;
  v_used jsonb;
  v_taken mattock.taken;
  v_tags text[];
begin
  -- one that is not known, or takes nothing more, may have asked before it left (its column comes with 0023)
  select tags into v_tags from mattock.worker where id = p_worker and not draining;
  if v_left <= 0 or v_tags is null then return; end if;
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
        and not exists (select 1 from mattock.connection c where c.name = any (n.connections)
          and (not c.needs <@ v_tags or c.cap <= coalesce((v_used ->> (p.environment || ' ' || c.name))::integer, 0)))
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
create or replace function mattock.take_over_surveys(p_silent interval) returns integer language plpgsql as $$
declare
  s record;
  taken integer := 0;
begin
  perform mattock.lock_dispatch();
  for s in select id, attempt, state, stopping, (select c.needs from mattock.connection c where c.name = a.connection) as needs from mattock.survey a
           where state = 'running'
             and not exists (select 1 from mattock.worker w where w.id = a.worker and w.beat_at > clock_timestamp() - p_silent)
             or state = 'waiting' and mattock.job_is_lost('survey:' || id, p_silent) loop
    if s.stopping then
      update mattock.survey set state = 'stopped', ended_at = clock_timestamp() where id = s.id;
    elsif s.attempt >= 3 then
      update mattock.survey set state = 'failed', ended_at = clock_timestamp(), fault = 'three workers ended while running it; leave out the files that are likely to be why' where id = s.id;
    else
      update mattock.survey set state = 'waiting', worker = null where id = s.id;
      perform graphile_worker.add_job('survey', json_build_object('survey', s.id), job_key := 'survey:' || s.id, max_attempts := 1, flags := nullif(s.needs, '{}'));
    end if;
    taken := taken + 1;
  end loop;
  return taken;
end $$;
