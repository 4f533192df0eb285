-- What a person does to a run that goes on, by the rules of 0020.

-- Nothing new begins until the run is told to go on; what runs comes to its end.
create function mattock.hold_run(p_run integer, p_by text) returns boolean language plpgsql as $$
begin
  perform mattock.lock_dispatch();
  update mattock.run set state = 'held', held_by = p_by where id = p_run and state = 'running' and not stopping;
  if not found then return false; end if;
  perform pg_notify('mattock', json_build_object('run', p_run)::text);
  return true;
end $$;
--> statement-breakpoint
-- Lets a run go on that is held, and what in it holds for a look: parts, and loads (all, or those with these ids).
create function mattock.go_on(p_run integer, p_loads bigint[]) returns boolean language plpgsql as $$
declare
  m record;
  v_found boolean := false;
begin
  perform mattock.lock_dispatch();
  perform 1 from mattock.run where id = p_run and state in ('running', 'held') and not stopping;
  if not found then return false; end if;
  if p_loads is null then
    update mattock.run set state = 'running', held_by = null where id = p_run and state = 'held';
    v_found := found;
    update mattock.run_part p set state = mattock.end_of(p) where run_id = p_run and state = 'held';
    v_found := v_found or found;
  end if;
  for m in
    with moved as (
      update mattock.load set state = 'waiting', rank = least(rank, -1), worker = null where run_id = p_run and state = 'held' and (p_loads is null or id = any (p_loads))
      returning id, part, lane, let_go),
    looked_at as (
      update mattock.load_step s set state = 'done' from moved where s.load_id = moved.id and s.state = 'held')
    select part, lane, count(*)::integer as loads, (count(*) filter (where let_go is not null))::integer as let from moved group by part, lane
  loop
    v_found := true;
    perform mattock.count_moves(p_run, m.part, 'held', 'waiting', m.loads);
    update mattock.run_lane set waiting = waiting + m.loads where run_id = p_run and part = m.part and lane = m.lane;
    update mattock.run_part set let_go = let_go + m.let where run_id = p_run and part = m.part;
  end loop;
  perform mattock.advance_run(p_run);
  perform mattock.call_workers();
  perform pg_notify('mattock', json_build_object('run', p_run)::text);
  return v_found;
end $$;
--> statement-breakpoint
-- Takes loads that wait or hold out of a run; the rest goes on. Returns how many.
create function mattock.set_aside(p_run integer, p_loads bigint[], p_by text) returns integer language plpgsql as $$
declare
  v_loads integer;
begin
  perform mattock.lock_dispatch();
  perform 1 from mattock.run where id = p_run and state in ('waiting', 'running', 'held') and not stopping;
  if not found then return 0; end if;
  v_loads := mattock.end_unrun(p_run, null, p_loads, 'skipped', jsonb_build_object('step', null, 'code', 'set-aside', 'message', 'set aside by ' || p_by,
    'effect', 'nothing more was written', 'advice', 'rerun it when it is to be done'), null);
  perform mattock.advance_run(p_run);
  perform pg_notify('mattock', json_build_object('run', p_run)::text);
  return v_loads;
end $$;
--> statement-breakpoint
-- Lets waiting loads go before their part begins, and before others. Returns how many.
create function mattock.let_go(p_run integer, p_loads bigint[], p_by text, p_why text) returns integer language plpgsql as $$
declare
  m record;
  v_all integer := 0;
begin
  perform mattock.lock_dispatch();
  perform 1 from mattock.run where id = p_run and state in ('running', 'held') and not stopping;
  if not found then return 0; end if;
  for m in
    with moved as (
      update mattock.load l set let_go = jsonb_build_object('by', p_by, 'why', p_why, 'at', clock_timestamp()), rank = least(rank, -1)
      from mattock.run_part p
      where l.run_id = p_run and l.id = any (p_loads) and l.state = 'waiting' and l.let_go is null
        and p.run_id = l.run_id and p.part = l.part and p.state in ('waiting', 'asking')
      returning l.part)
    select part, count(*)::integer as loads from moved group by part
  loop
    update mattock.run_part set let_go = let_go + m.loads where run_id = p_run and part = m.part;
    v_all := v_all + m.loads;
  end loop;
  perform mattock.call_workers();
  perform pg_notify('mattock', json_build_object('run', p_run)::text);
  return v_all;
end $$;
--> statement-breakpoint
-- Puts waiting loads before the others of their part. Returns how many.
create function mattock.put_first(p_run integer, p_loads bigint[]) returns integer language plpgsql as $$
declare
  v_rank integer;
  v_loads integer;
begin
  perform mattock.lock_dispatch();
  select coalesce(min(rank), 0) - 1 into v_rank from mattock.load where run_id = p_run and state = 'waiting';
  update mattock.load set rank = v_rank where run_id = p_run and id = any (p_loads) and state = 'waiting';
  get diagnostics v_loads = row_count;
  perform pg_notify('mattock', json_build_object('run', p_run)::text);
  return v_loads;
end $$;
