-- As in 0038; its counts are bigint whichever way they come. A record took the type of the query before, and a statement
-- that was prepared with one type takes no other: a rerun from a later step could not be recorded by that session.
create or replace function mattock.note_coverage() returns trigger language plpgsql as $$
declare
  r record;
  v_rows bigint;
  v_read bigint;
  v_rejected bigint;
  -- what never ran has no end of its own
  v_at timestamptz := coalesce(new.ended_at, mattock.run_now(new.run_id));
begin
  select run.job, run.environment, run.rerun_from, coalesce(p.id, '#' || new.part) as part, run.rerun_of is null and q."only" is null and q.picks is null as whole into r
  from mattock.run join mattock.plan q on q.id = run.plan_id left join mattock.run_part p on p.run_id = run.id and p.part = new.part where run.id = new.run_id;
  v_rows := new.written + new.unchanged + new.merged;
  v_read := new.read;
  v_rejected := new.rejected;
  if r.rerun_from is not null and new.state = 'done' and not r.rerun_from ? 'only' then
    -- what it kept of the load that it repeats is there as well
    select coalesce(sum(s.written + s.unchanged + s.merged), 0), coalesce(sum(s.read), 0), coalesce(sum(s.rejected), 0) into v_rows, v_read, v_rejected
    from mattock.load_step s where s.load_id = new.id and s.state = 'done';
  end if;
  insert into mattock.coverage as v (job, environment, part, row_key, slice_from, slice_to, slice_label, state, ended_at, load_id, run_id, loaded_at, loaded_by, rows, read, rejected)
  select r.job, r.environment, r.part, coalesce(new.row_key, ''), new.slice_from, new.slice_to, coalesce(new.slice_label, ''), new.state, v_at, new.id, new.run_id,
    case when new.state = 'done' then v_at end, case when new.state = 'done' then new.id end,
    case when new.state = 'done' then v_rows else 0 end, case when new.state = 'done' then v_read else 0 end, case when new.state = 'done' then v_rejected else 0 end
  on conflict (job, environment, part, row_key, slice_from, slice_to) do update set
    slice_label = excluded.slice_label, state = excluded.state, ended_at = excluded.ended_at, load_id = excluded.load_id, run_id = excluded.run_id, loads = v.loads + 1,
    loaded_at = coalesce(excluded.loaded_at, v.loaded_at), loaded_by = coalesce(excluded.loaded_by, v.loaded_by),
    -- rows that were mended come to those that are there
    rows = case when excluded.loaded_by is null then v.rows when r.rerun_from ? 'only' then v.rows + excluded.rows else excluded.rows end,
    read = case when excluded.loaded_by is null or r.rerun_from ? 'only' then v.read else excluded.read end,
    rejected = case when excluded.loaded_by is null then v.rejected when r.rerun_from ? 'only' then greatest(0, v.rejected - excluded.read) + excluded.rejected else excluded.rejected end;
  if r.whole then
    insert into mattock.loaded_slice as s (job, environment, slice_from, slice_to, whole) values (r.job, r.environment, new.slice_from, new.slice_to, true)
    on conflict (job, environment, slice_from, slice_to) do update set whole = true where not s.whole;
  end if;
  if new.state in ('done', 'skipped') then
    perform mattock.look_at_slice(r.environment, r.job, coalesce(new.row_key, ''), new.slice_from, new.slice_to);
  end if;
  return null;
end $$;
