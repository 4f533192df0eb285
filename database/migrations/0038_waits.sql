CREATE TABLE "mattock"."wait_need" (
	"set_id" bigint NOT NULL,
	"position" integer NOT NULL,
	"kind" text NOT NULL,
	"environment" text NOT NULL,
	"job" text,
	"row_key" text,
	"slice_from" timestamp with time zone,
	"slice_to" timestamp with time zone,
	"slice_label" text,
	"dataset" text,
	"after" timestamp with time zone,
	"store" text,
	"pattern" text,
	"marker" text,
	"run_needed" integer,
	"seen" jsonb,
	"met_at" timestamp with time zone,
	CONSTRAINT "wait_need_set_id_position_pk" PRIMARY KEY("set_id","position")
);
--> statement-breakpoint
CREATE TABLE "mattock"."wait_set" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"run_id" integer NOT NULL,
	"part" integer NOT NULL,
	"missing" integer NOT NULL,
	"since" timestamp with time zone NOT NULL,
	"released_at" timestamp with time zone
);
--> statement-breakpoint
ALTER TABLE "mattock"."load" ADD COLUMN "wait_set" bigint;--> statement-breakpoint
ALTER TABLE "mattock"."loaded_slice" ADD COLUMN "whole" boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE "mattock"."wait_need" ADD CONSTRAINT "wait_need_set_id_wait_set_id_fk" FOREIGN KEY ("set_id") REFERENCES "mattock"."wait_set"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."wait_set" ADD CONSTRAINT "wait_set_run_id_run_id_fk" FOREIGN KEY ("run_id") REFERENCES "mattock"."run"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "wait_need_slice" ON "mattock"."wait_need" USING btree ("environment","job","slice_from") WHERE met_at is null and kind = 'slice';--> statement-breakpoint
CREATE INDEX "wait_need_asked" ON "mattock"."wait_need" USING btree ("kind") WHERE met_at is null and kind in ('refresh', 'files');--> statement-breakpoint
CREATE INDEX "wait_need_run" ON "mattock"."wait_need" USING btree ("run_needed") WHERE met_at is null and kind = 'run';--> statement-breakpoint
CREATE INDEX "wait_set_run_id_index" ON "mattock"."wait_set" USING btree ("run_id");--> statement-breakpoint
CREATE INDEX "load_wait_set" ON "mattock"."load" USING btree ("wait_set") WHERE wait_set is not null;--> statement-breakpoint
CREATE INDEX "load_open_slice" ON "mattock"."load" USING btree ("run_id","slice_from") WHERE state in ('waiting', 'running', 'held') and slice_from is not null;--> statement-breakpoint
-- what was loaded before this was noted was taken by runs of all rows, as far as anybody knows
update mattock.loaded_slice set whole = true;
--> statement-breakpoint
-- Is a slice of a job loaded: of one row, or of all? It is not while a load of it is under way, nor where its newest load did not get done.
create function mattock.slice_is_loaded(p_environment text, p_job text, p_row text, p_from timestamptz, p_to timestamptz) returns boolean language sql stable as $$
  select case when p_row is null
      then exists (select 1 from mattock.loaded_slice s where s.job = p_job and s.environment = p_environment and s.slice_from = p_from and s.slice_to = p_to and s.whole)
        and not exists (select 1 from mattock.coverage c where c.environment = p_environment and c.job = p_job and c.slice_from = p_from and c.slice_to = p_to and c.state not in ('done', 'skipped'))
      else exists (select 1 from mattock.coverage c where c.environment = p_environment and c.job = p_job and c.slice_from = p_from and c.slice_to = p_to and c.row_key = p_row and c.loaded_by is not null)
        and not exists (select 1 from mattock.coverage c where c.environment = p_environment and c.job = p_job and c.slice_from = p_from and c.slice_to = p_to and c.row_key = p_row and c.state not in ('done', 'skipped'))
    end
    and not exists (
      select 1 from mattock.run r join mattock.load l on l.run_id = r.id
      where r.environment = p_environment and r.job = p_job and r.state in ('running', 'held', 'waiting')
        and l.state in ('waiting', 'running', 'held') and l.slice_from = p_from and l.slice_to = p_to and (p_row is null or l.row_key = p_row))
$$;
--> statement-breakpoint
-- Lets the loads of sets begin that wait for nothing more.
create function mattock.release_sets(p_sets bigint[]) returns integer language plpgsql as $$
declare
  m record;
  v_all integer := 0;
begin
  update mattock.wait_set set released_at = clock_timestamp() where id = any (p_sets) and released_at is null;
  for m in
    with moved as (
      update mattock.load l set lane = -1 - lane, waits_for = null
      where wait_set = any (p_sets) and state = 'waiting' and lane < 0 returning run_id, part, lane)
    select run_id, part, lane, count(*)::integer as loads from moved group by run_id, part, lane order by run_id, part, lane
  loop
    update mattock.run_lane set waiting = waiting + m.loads where run_id = m.run_id and part = m.part and lane = m.lane;
    v_all := v_all + m.loads;
    perform pg_notify('mattock', json_build_object('run', m.run_id)::text);
  end loop;
  if v_all > 0 then perform mattock.call_workers(); end if;
  return v_all;
end $$;
--> statement-breakpoint
-- Notes that needs are met, and lets go whose last one that was. Returns how many loads begin.
create function mattock.meet_needs(p_sets bigint[], p_positions integer[]) returns integer language plpgsql as $$
declare
  v_free bigint[];
begin
  with met as (
    update mattock.wait_need n set met_at = clock_timestamp() from unnest(p_sets, p_positions) m (id, place)
    where n.set_id = m.id and n.position = m.place and n.met_at is null returning n.set_id),
  fewer as (
    update mattock.wait_set s set missing = missing - c.n from (select set_id, count(*)::integer as n from met group by set_id) c
    where s.id = c.set_id returning s.id, s.missing, s.released_at)
  select array_agg(id order by id) into v_free from fewer where missing <= 0 and released_at is null;
  if v_free is null then return 0; end if;
  return mattock.release_sets(v_free);
end $$;
--> statement-breakpoint
-- What waits for a slice of a job looks again.
create function mattock.look_at_slice(p_environment text, p_job text, p_row text, p_from timestamptz, p_to timestamptz) returns void language plpgsql as $$
declare
  n record;
begin
  for n in
    select row_key, array_agg(set_id) as sets, array_agg(position) as positions from mattock.wait_need
    where environment = p_environment and job = p_job and slice_from = p_from and slice_to = p_to and met_at is null and kind = 'slice'
      and (row_key is null or row_key = p_row)
    group by row_key
  loop
    if mattock.slice_is_loaded(p_environment, p_job, n.row_key, p_from, p_to) then
      perform mattock.meet_needs(n.sets, n.positions);
    end if;
  end loop;
end $$;
--> statement-breakpoint
-- As in 0037; what waits for the slice looks again.
create or replace function mattock.note_coverage() returns trigger language plpgsql as $$
declare
  r record;
  c record;
  -- what never ran has no end of its own
  v_at timestamptz := coalesce(new.ended_at, mattock.run_now(new.run_id));
begin
  select run.job, run.environment, run.rerun_from, coalesce(p.id, '#' || new.part) as part, run.rerun_of is null and q."only" is null and q.picks is null as whole into r
  from mattock.run join mattock.plan q on q.id = run.plan_id left join mattock.run_part p on p.run_id = run.id and p.part = new.part where run.id = new.run_id;
  select new.written + new.unchanged + new.merged as rows, new.read, new.rejected into c;
  if r.rerun_from is not null and new.state = 'done' and not r.rerun_from ? 'only' then
    -- what it kept of the load that it repeats is there as well
    select coalesce(sum(s.written + s.unchanged + s.merged), 0) as rows, coalesce(sum(s.read), 0) as read, coalesce(sum(s.rejected), 0) as rejected into c
    from mattock.load_step s where s.load_id = new.id and s.state = 'done';
  end if;
  insert into mattock.coverage as v (job, environment, part, row_key, slice_from, slice_to, slice_label, state, ended_at, load_id, run_id, loaded_at, loaded_by, rows, read, rejected)
  select r.job, r.environment, r.part, coalesce(new.row_key, ''), new.slice_from, new.slice_to, coalesce(new.slice_label, ''), new.state, v_at, new.id, new.run_id,
    case when new.state = 'done' then v_at end, case when new.state = 'done' then new.id end,
    case when new.state = 'done' then c.rows else 0 end, case when new.state = 'done' then c.read else 0 end, case when new.state = 'done' then c.rejected else 0 end
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
--> statement-breakpoint
-- As in 0024: loads that wait for what is not of their run are let go, too, with the reason kept.
create or replace function mattock.let_go(p_run integer, p_loads bigint[], p_by text, p_why text) returns integer language plpgsql as $$
declare
  m record;
  v_all integer := 0;
begin
  perform mattock.lock_dispatch();
  perform 1 from mattock.run where id = p_run and state in ('running', 'held') and not stopping;
  if not found then return 0; end if;
  for m in
    with moved as (
      update mattock.load l set let_go = jsonb_build_object('by', p_by, 'why', p_why, 'at', clock_timestamp()), rank = least(l.rank, -1),
        lane = case when l.lane < 0 then -1 - l.lane else l.lane end, waits_for = null
      from mattock.run_part p, mattock.load was
      where l.run_id = p_run and l.id = any (p_loads) and l.state = 'waiting' and l.let_go is null and was.id = l.id
        and p.run_id = l.run_id and p.part = l.part and (p.state in ('waiting', 'asking') or l.lane < 0 and p.state = 'running')
      returning l.part, l.lane, was.lane < 0 as waited)
    select part, lane, waited, count(*)::integer as loads from moved group by part, lane, waited
  loop
    update mattock.run_part set let_go = let_go + m.loads where run_id = p_run and part = m.part;
    if m.waited then update mattock.run_lane set waiting = waiting + m.loads where run_id = p_run and part = m.part and lane = m.lane; end if;
    v_all := v_all + m.loads;
  end loop;
  perform mattock.call_workers();
  perform pg_notify('mattock', json_build_object('run', p_run)::text);
  return v_all;
end $$;
--> statement-breakpoint
-- A run that is done, or that did again what another did not get done, is waited for no longer.
create function mattock.look_at_run() returns trigger language plpgsql as $$
declare
  v_sets bigint[];
  v_positions integer[];
begin
  select array_agg(set_id), array_agg(position) into v_sets, v_positions from mattock.wait_need
  where kind = 'run' and met_at is null and run_needed in (new.id, new.rerun_of);
  if v_sets is not null then perform mattock.meet_needs(v_sets, v_positions); end if;
  return null;
end $$;
--> statement-breakpoint
create trigger run_done after update of state on mattock.run for each row
  when (old.state is distinct from new.state and new.state = 'done') execute function mattock.look_at_run();
