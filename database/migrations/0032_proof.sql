CREATE TABLE "mattock"."load_attempt" (
	"load_id" bigint NOT NULL,
	"attempt" integer NOT NULL,
	"worker" integer,
	"host" text,
	"taken_at" timestamp with time zone,
	"ended_at" timestamp with time zone NOT NULL,
	"why" text NOT NULL,
	CONSTRAINT "load_attempt_load_id_attempt_pk" PRIMARY KEY("load_id","attempt")
);
--> statement-breakpoint
CREATE TABLE "mattock"."mended" (
	"run_id" integer PRIMARY KEY NOT NULL,
	"load_id" bigint NOT NULL,
	"step" text NOT NULL,
	"rows" jsonb NOT NULL
);
--> statement-breakpoint
ALTER TABLE "mattock"."load" ADD COLUMN "merged" bigint DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "mattock"."load_step" ADD COLUMN "merged" bigint DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "mattock"."load_step" ADD COLUMN "tries" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "mattock"."load_step" ADD COLUMN "written_in" text;--> statement-breakpoint
ALTER TABLE "mattock"."load_step" ADD COLUMN "kept_from" bigint;--> statement-breakpoint
ALTER TABLE "mattock"."load_step" ADD COLUMN "read_as" jsonb;--> statement-breakpoint
ALTER TABLE "mattock"."run" ADD COLUMN "rerun_from" jsonb;--> statement-breakpoint
ALTER TABLE "mattock"."run_part" ADD COLUMN "merged" bigint DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "mattock"."load_attempt" ADD CONSTRAINT "load_attempt_load_id_load_id_fk" FOREIGN KEY ("load_id") REFERENCES "mattock"."load"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."mended" ADD CONSTRAINT "mended_run_id_run_id_fk" FOREIGN KEY ("run_id") REFERENCES "mattock"."run"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."mended" ADD CONSTRAINT "mended_load_id_load_id_fk" FOREIGN KEY ("load_id") REFERENCES "mattock"."load"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "mended_load_id_step_index" ON "mattock"."mended" USING btree ("load_id","step");--> statement-breakpoint
-- Rows that gave way to a later one of their key were counted as filtered, of which they were all.
update mattock.load set merged = filtered, filtered = 0 where filtered > 0;--> statement-breakpoint
update mattock.load_step set merged = filtered, filtered = 0 where filtered > 0;--> statement-breakpoint
update mattock.run_part set merged = filtered, filtered = 0 where filtered > 0;--> statement-breakpoint
-- As in 0031, 0027 and 0024: rows that are merged are counted, an attempt that comes to no end of its own is kept, and a load that
-- failed can be set aside.
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
    bytes = p_counts[6], merged = coalesce(p_counts[7], 0), error = p_error, cause = p_cause
  from mattock.run r
  where a.id = p_load and a.attempt = p_attempt and a.state = 'running' and r.id = a.run_id
  returning a.run_id, a.part, a.slice_from, a.slice_to, r.job, r.environment into l;
  if found then
    update mattock.run_part set running = running - 1, held = held + (p_state = 'held')::int, done = done + (p_state = 'done')::int,
      failed = failed + (p_state = 'failed')::int, skipped = skipped + (p_state = 'skipped')::int, stopped = stopped + (p_state = 'stopped')::int,
      -- what a held one did so far is counted when it ends
      read = read + v_ended * p_counts[1], written = written + v_ended * p_counts[2], unchanged = unchanged + v_ended * p_counts[3],
      rejected = rejected + v_ended * p_counts[4], filtered = filtered + v_ended * p_counts[5], bytes = bytes + v_ended * p_counts[6],
      merged = merged + v_ended * coalesce(p_counts[7], 0),
      unbalanced = unbalanced + v_ended * (p_counts[1] <> p_counts[2] + p_counts[3] + p_counts[4] + p_counts[5] + coalesce(p_counts[7], 0))::int
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
create or replace function mattock.give_back(p_load bigint, p_died boolean) returns void language plpgsql as $$
declare
  l record;
begin
  select a.run_id, a.part, a.lane, a.let_go is not null as let, a.awaits, r.stopping into l from mattock.load a join mattock.run r on r.id = a.run_id where a.id = p_load;
  insert into mattock.load_attempt (load_id, attempt, worker, host, taken_at, ended_at, why)
  select a.id, a.attempt, a.worker, w.host, a.taken_at, clock_timestamp(),
    case when a.awaits is not null then 'waited for run ' || a.awaits when p_died then 'its worker ended' else 'its worker let go of it' end
  from mattock.load a left join mattock.worker w on w.id = a.worker where a.id = p_load and a.attempt > 0
  on conflict do nothing;
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
create or replace function mattock.go_on(p_run integer, p_loads bigint[]) returns boolean language plpgsql as $$
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
  insert into mattock.load_attempt (load_id, attempt, worker, host, taken_at, ended_at, why)
  select a.id, a.attempt, a.worker, w.host, a.taken_at, coalesce(a.ended_at, clock_timestamp()), 'stopped for a look'
  from mattock.load a left join mattock.worker w on w.id = a.worker
  where a.run_id = p_run and a.state = 'held' and (p_loads is null or a.id = any (p_loads)) on conflict do nothing;
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
create or replace function mattock.set_aside(p_run integer, p_loads bigint[], p_by text) returns integer language plpgsql as $$
declare
  m record;
  v_loads integer;
begin
  perform mattock.lock_dispatch();
  perform 1 from mattock.run where id = p_run and state in ('waiting', 'running', 'held') and not stopping;
  if not found then return 0; end if;
  v_loads := mattock.end_unrun(p_run, null, p_loads, 'skipped', jsonb_build_object('step', null, 'code', 'set-aside', 'message', 'set aside by ' || p_by,
    'effect', 'nothing more was written', 'advice', 'rerun it when it is to be done'), null);
  -- one that failed is set aside as long as its part goes on: what waits for the part need not be left out for it
  for m in
    with moved as (
      update mattock.load l set state = 'skipped', cause = null,
        error = coalesce(l.error, '{}') || jsonb_build_object('code', 'set-aside', 'message', 'set aside by ' || p_by || ', having failed: ' || coalesce(l.error ->> 'message', 'nobody knows why'))
      from mattock.run_part p
      where l.run_id = p_run and l.id = any (p_loads) and l.state = 'failed' and p.run_id = l.run_id and p.part = l.part and p.state in ('waiting', 'asking', 'running', 'held')
      returning l.part)
    select part, count(*)::integer as loads from moved group by part
  loop
    perform mattock.count_moves(p_run, m.part, 'failed', 'skipped', m.loads);
    v_loads := v_loads + m.loads;
  end loop;
  perform mattock.advance_run(p_run);
  perform pg_notify('mattock', json_build_object('run', p_run)::text);
  return v_loads;
end $$;
