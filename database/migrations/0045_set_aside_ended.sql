-- Failed loads of a run that is over are given up, with the reason kept: what waits for their slices goes on, and nobody
-- need see to them any more. A rerun brings them back. Those that were run again since are left as they are: what is
-- known of their slices is of a later load.
create function mattock.give_up_failed(p_run integer, p_by text, p_why text) returns integer language plpgsql as $$
declare
  m record;
  v_loads integer := 0;
begin
  perform mattock.lock_dispatch();
  perform 1 from mattock.run where id = p_run and state in ('done', 'failed', 'stopped');
  if not found then return 0; end if;
  for m in
    with moved as (
      update mattock.load l set state = 'skipped', cause = null,
        error = coalesce(l.error, '{}') || jsonb_build_object('code', 'set-aside', 'message', 'set aside by ' || p_by || ', ' || p_why || ', having failed: ' || coalesce(l.error ->> 'message', 'nobody knows why'),
          'advice', 'rerun it when it is to be done')
      from mattock.run r
      where l.run_id = p_run and r.id = l.run_id and l.state = 'failed' and not exists (
        select 1 from mattock.load d join mattock.run o on o.id = d.run_id
        where o.environment = r.environment and o.job = r.job and d.key = l.key and d.id > l.id and d.state in ('done', 'failed', 'held', 'running', 'waiting'))
      returning l.part)
    select part, count(*)::integer as loads from moved group by part
  loop
    perform mattock.count_moves(p_run, m.part, 'failed', 'skipped', m.loads);
    v_loads := v_loads + m.loads;
  end loop;
  perform pg_notify('mattock', json_build_object('run', p_run)::text);
  return v_loads;
end $$;
