CREATE TABLE "mattock"."run_lane" (
	"run_id" integer NOT NULL,
	"part" integer NOT NULL,
	"lane" integer NOT NULL,
	"connections" text[] NOT NULL,
	"waiting" integer DEFAULT 0 NOT NULL,
	CONSTRAINT "run_lane_run_id_part_lane_pk" PRIMARY KEY("run_id","part","lane")
);
--> statement-breakpoint
CREATE TABLE "mattock"."run_part" (
	"run_id" integer NOT NULL,
	"part" integer NOT NULL,
	"id" text,
	"waits" integer[] NOT NULL,
	"when" text DEFAULT 'done' NOT NULL,
	"hold" boolean DEFAULT false NOT NULL,
	"at_once" integer DEFAULT 1 NOT NULL,
	"state" text DEFAULT 'waiting' NOT NULL,
	"passed" boolean DEFAULT false NOT NULL,
	"asked_at" timestamp with time zone,
	"started_at" timestamp with time zone,
	"ended_at" timestamp with time zone,
	"waiting" integer DEFAULT 0 NOT NULL,
	"running" integer DEFAULT 0 NOT NULL,
	"held" integer DEFAULT 0 NOT NULL,
	"done" integer DEFAULT 0 NOT NULL,
	"failed" integer DEFAULT 0 NOT NULL,
	"skipped" integer DEFAULT 0 NOT NULL,
	"stopped" integer DEFAULT 0 NOT NULL,
	"let_go" integer DEFAULT 0 NOT NULL,
	"read" bigint DEFAULT 0 NOT NULL,
	"written" bigint DEFAULT 0 NOT NULL,
	"unchanged" bigint DEFAULT 0 NOT NULL,
	"rejected" bigint DEFAULT 0 NOT NULL,
	"filtered" bigint DEFAULT 0 NOT NULL,
	"bytes" bigint DEFAULT 0 NOT NULL,
	"unbalanced" integer DEFAULT 0 NOT NULL,
	CONSTRAINT "run_part_run_id_part_pk" PRIMARY KEY("run_id","part")
);
--> statement-breakpoint
DROP INDEX "mattock"."load_active";--> statement-breakpoint
DROP INDEX "mattock"."load_waiting";--> statement-breakpoint
ALTER TABLE "mattock"."load" ADD COLUMN "lane" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "mattock"."load" ADD COLUMN "rank" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "mattock"."load" ADD COLUMN "let_go" jsonb;--> statement-breakpoint
ALTER TABLE "mattock"."run" ADD COLUMN "held_by" text;--> statement-breakpoint
ALTER TABLE "mattock"."run_lane" ADD CONSTRAINT "run_lane_run_id_run_id_fk" FOREIGN KEY ("run_id") REFERENCES "mattock"."run"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."run_part" ADD CONSTRAINT "run_part_run_id_run_id_fk" FOREIGN KEY ("run_id") REFERENCES "mattock"."run"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "run_part_open" ON "mattock"."run_part" USING btree ("run_id","part") WHERE state = 'running' or let_go > 0;--> statement-breakpoint
CREATE INDEX "load_let_go" ON "mattock"."load" USING btree ("run_id","part","rank","number") WHERE state = 'waiting' and let_go is not null;--> statement-breakpoint
CREATE INDEX "load_running" ON "mattock"."load" USING btree ("worker") WHERE state = 'running';--> statement-breakpoint
CREATE INDEX "load_waiting" ON "mattock"."load" USING btree ("run_id","part","lane","rank","number") WHERE state = 'waiting';
--> statement-breakpoint
-- The state of a run is rows, changed here and nowhere else, one transaction at a time: every function that moves loads
-- takes the same advisory lock first, so that caps hold over all workers. Loads are not handed out: a worker that has a
-- free place takes the first that may run. core/run/machine.ts is the same as a table, and a test plays both.

drop function mattock.start_load(bigint, integer);
--> statement-breakpoint
drop function mattock.finish_load(bigint, integer, text, bigint[], jsonb, text);
--> statement-breakpoint
drop function mattock.dispatch();
--> statement-breakpoint
create type mattock.taken as (load_id bigint, attempt integer, run_id integer, plan_id integer, number integer, part integer,
  started_at timestamptz, deaths integer, repeats bigint);
--> statement-breakpoint
-- Runs of before: their parts ran one after the other.
update mattock.load set state = 'waiting' where state = 'ready';
--> statement-breakpoint
select graphile_worker.remove_job(key) from graphile_worker.jobs where task_identifier = 'load' and key is not null;
--> statement-breakpoint
with lanes as (
  select run_id, part, connections, row_number() over (partition by run_id, part order by min(number)) - 1 as lane,
    count(*) filter (where state = 'waiting') as waiting
  from mattock.load group by run_id, part, connections),
kept as (
  insert into mattock.run_lane (run_id, part, lane, connections, waiting) select run_id, part, lane, connections, waiting from lanes)
update mattock.load l set lane = n.lane from lanes n
where n.run_id = l.run_id and n.part = l.part and n.connections = l.connections and n.lane <> 0;
--> statement-breakpoint
insert into mattock.run_part (run_id, part, waits, at_once, state, waiting, running, done, failed, skipped, stopped,
  read, written, unchanged, rejected, filtered, bytes, unbalanced)
select l.run_id, l.part, coalesce(array_agg(distinct b.part) filter (where b.part is not null), '{}'),
  coalesce((select (p.parts -> l.part ->> 'atOnce')::integer from mattock.plan p where p.id = r.plan_id), 1),
  case when r.state <> 'running' then case when l.failed > 0 then 'failed' when l.stopped > 0 then 'stopped' when l.skipped = l.loads then 'skipped' else 'done' end
    when l.waiting + l.running = 0 then case when l.failed > 0 then 'failed' else 'done' end
    when l.part = r.part then 'running' else 'waiting' end,
  l.waiting, l.running, l.done, l.failed, l.skipped, l.stopped, l.read, l.written, l.unchanged, l.rejected, l.filtered, l.bytes, l.unbalanced
from (
  select run_id, part, count(*) as loads, count(*) filter (where state = 'waiting') as waiting, count(*) filter (where state = 'running') as running,
    count(*) filter (where state = 'done') as done, count(*) filter (where state = 'failed') as failed,
    count(*) filter (where state = 'skipped') as skipped, count(*) filter (where state = 'stopped') as stopped,
    sum(read) as read, sum(written) as written, sum(unchanged) as unchanged, sum(rejected) as rejected, sum(filtered) as filtered,
    sum(bytes) as bytes, count(*) filter (where read <> written + unchanged + rejected + filtered) as unbalanced
  from mattock.load group by run_id, part) l
join mattock.run r on r.id = l.run_id
left join (select run_id, part from mattock.load group by run_id, part) b on b.run_id = l.run_id and b.part < l.part
group by l.run_id, l.part, r.plan_id, r.state, r.part, l.loads, l.waiting, l.running, l.done, l.failed, l.skipped, l.stopped,
  l.read, l.written, l.unchanged, l.rejected, l.filtered, l.bytes, l.unbalanced;
--> statement-breakpoint
-- Says that there may be something to take, to workers that have a free place.
create function mattock.call_workers() returns void language sql as $$
  select pg_notify('mattock_work', '')
$$;
--> statement-breakpoint
-- Counts loads of a part that went from one state to another.
create function mattock.count_moves(p_run integer, p_part integer, p_from text, p_to text, p_loads integer) returns void language sql as $$
  update mattock.run_part set
    waiting = waiting + p_loads * ((p_to = 'waiting')::int - (p_from = 'waiting')::int),
    running = running + p_loads * ((p_to = 'running')::int - (p_from = 'running')::int),
    held = held + p_loads * ((p_to = 'held')::int - (p_from = 'held')::int),
    done = done + p_loads * ((p_to = 'done')::int - (p_from = 'done')::int),
    failed = failed + p_loads * ((p_to = 'failed')::int - (p_from = 'failed')::int),
    skipped = skipped + p_loads * ((p_to = 'skipped')::int - (p_from = 'skipped')::int),
    stopped = stopped + p_loads * ((p_to = 'stopped')::int - (p_from = 'stopped')::int)
  where run_id = p_run and part = p_part
$$;
--> statement-breakpoint
-- Ends loads of a run that wait or are held, without their having run. `p_loads`: their ids, or null for all of the part;
-- `p_part`: null for all parts. Returns how many.
create function mattock.end_unrun(p_run integer, p_part integer, p_loads bigint[], p_state text, p_error jsonb, p_cause text)
returns integer language plpgsql as $$
declare
  m record;
  v_all integer := 0;
begin
  for m in
    with picked as (
      select id, part, lane, state, let_go is not null as let from mattock.load
      where run_id = p_run and state in ('waiting', 'held') and (p_part is null or part = p_part) and (p_loads is null or id = any (p_loads))),
    moved as (
      update mattock.load l set state = p_state, error = p_error, cause = p_cause, ended_at = mattock.run_now(p_run), worker = null, waits_for = null
      from picked p where l.id = p.id)
    select part, lane, state, count(*)::integer as loads, (count(*) filter (where let))::integer as let from picked group by part, lane, state
  loop
    perform mattock.count_moves(p_run, m.part, m.state, p_state, m.loads);
    if m.state = 'waiting' then
      update mattock.run_lane set waiting = waiting - m.loads where run_id = p_run and part = m.part and lane = m.lane;
      update mattock.run_part set let_go = let_go - m.let where run_id = p_run and part = m.part;
    end if;
    v_all := v_all + m.loads;
  end loop;
  return v_all;
end $$;
--> statement-breakpoint
-- What a part ended as.
create function mattock.end_of(p mattock.run_part) returns text language sql immutable as $$
  select case when p.failed > 0 then 'failed' when p.stopped > 0 then 'stopped' else 'done' end
$$;
--> statement-breakpoint
-- Leaves a part out: `p_passed` where its own condition does not hold, else something before it failed.
create function mattock.skip_part(p_run integer, p_part integer, p_passed boolean, p_why text) returns void language plpgsql as $$
begin
  perform mattock.end_unrun(p_run, p_part, null, 'skipped', jsonb_build_object('step', null, 'code', case when p_passed then 'when' else 'earlier-part' end,
    'message', p_why, 'effect', 'nothing was written', 'advice', case when p_passed then 'it is as the job says' else 'mend what failed, then rerun' end),
    case when p_passed then null else p_why end);
  update mattock.run_part set state = 'skipped', passed = p_passed, ended_at = mattock.run_now(p_run) where run_id = p_run and part = p_part;
end $$;
--> statement-breakpoint
create function mattock.begin_part(p_run integer, p_part integer) returns void language plpgsql as $$
begin
  update mattock.run_part set state = 'running', started_at = mattock.run_now(p_run) where run_id = p_run and part = p_part;
  perform mattock.call_workers();
end $$;
--> statement-breakpoint
-- Moves a run on: ends parts whose loads have ended, begins or leaves out those that waited for them, and ends the run.
create or replace function mattock.advance_run(p_run integer) returns void language plpgsql as $$
declare
  r mattock.run%rowtype;
  p mattock.run_part%rowtype;
  v_bad boolean;
  v_moved boolean;
  v_next integer;
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
-- What a worker was asked: does the expression of a part hold? With a fault the part fails.
create function mattock.decide_part(p_run integer, p_part integer, p_holds boolean, p_why text, p_fault jsonb) returns void language plpgsql as $$
begin
  perform mattock.lock_dispatch();
  perform 1 from mattock.run_part where run_id = p_run and part = p_part and state = 'asking';
  if not found then return; end if;
  if p_fault is not null then
    perform mattock.end_unrun(p_run, p_part, null, 'failed', p_fault, p_fault ->> 'message');
    update mattock.run_part set state = 'failed', ended_at = mattock.run_now(p_run) where run_id = p_run and part = p_part;
  elsif p_holds then perform mattock.begin_part(p_run, p_part);
  else perform mattock.skip_part(p_run, p_part, true, p_why);
  end if;
  perform mattock.advance_run(p_run);
  perform pg_notify('mattock', json_build_object('run', p_run)::text);
end $$;
--> statement-breakpoint
-- Takes up to p_count loads for a worker: of all runs, by priority, the first that may run within at_once of their part and
-- the caps of their connections. Whoever calls it holds the lock.
create function mattock.admit(p_worker integer, p_count integer) returns setof mattock.taken language plpgsql as $$
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
        where a.state = 'running' group by 1) u;
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
        started_at = clock_timestamp() + make_interval(secs => p.clock_offset / 1000.0), ended_at = null, error = null, cause = null
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
-- A worker with free places takes what may run.
create function mattock.take_loads(p_worker integer, p_count integer) returns setof mattock.taken language plpgsql as $$
begin
  perform mattock.lock_dispatch();
  return query select * from mattock.admit(p_worker, p_count);
end $$;
--> statement-breakpoint
-- Records how a load ended, or that it holds for a look, and gives its worker what it may take next, in one transaction.
-- What an attempt says that is not the load's any more counts for nothing: another worker took it over.
create function mattock.finish_load(p_load bigint, p_attempt integer, p_state text, p_counts bigint[], p_error jsonb, p_cause text, p_worker integer, p_take integer)
returns setof mattock.taken language plpgsql as $$
declare
  l record;
  v_ended integer := (p_state <> 'held')::int;
begin
  perform mattock.lock_dispatch();
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
-- Gives a running load back, or, where its run is being stopped, ends it.
create or replace function mattock.give_back(p_load bigint, p_died boolean) returns void language plpgsql as $$
declare
  l record;
begin
  select a.run_id, a.part, a.lane, a.let_go is not null as let, r.stopping into l from mattock.load a join mattock.run r on r.id = a.run_id where a.id = p_load;
  if l.stopping then
    update mattock.load set state = 'stopped', worker = null, waits_for = null, ended_at = mattock.run_now(run_id),
      error = jsonb_build_object('step', null, 'code', 'stopped', 'message', 'its worker ended while it was being stopped',
        'effect', 'the step that ran was rolled back; what steps before it had committed stays', 'advice', 'rerun it')
    where id = p_load;
    perform mattock.count_moves(l.run_id, l.part, 'running', 'stopped', 1);
    perform mattock.advance_run(l.run_id);
  else
    update mattock.load set state = 'waiting', worker = null, waits_for = null, deaths = deaths + p_died::int where id = p_load;
    perform mattock.count_moves(l.run_id, l.part, 'running', 'waiting', 1);
    update mattock.run_lane set waiting = waiting + 1 where run_id = l.run_id and part = l.part and lane = l.lane;
    update mattock.run_part set let_go = let_go + l.let::int where run_id = l.run_id and part = l.part;
    perform mattock.call_workers();
  end if;
  perform pg_notify('mattock', json_build_object('run', l.run_id)::text);
end $$;
--> statement-breakpoint
-- Gives to others: the loads of workers that fell silent, and loads that their worker, though it beats, does not hold.
-- Asks again what no worker answered.
create or replace function mattock.take_over(p_silent interval) returns integer language plpgsql as $$
declare
  l record;
  taken integer := 0;
begin
  perform mattock.lock_dispatch();
  for l in select a.id, w.id is null as died from mattock.load a
           left join mattock.worker w on w.id = a.worker and w.beat_at > clock_timestamp() - p_silent
           where a.state = 'running'
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
-- A worker that is about to end hard lets go of what it holds. `p_died`: those that are likely to be why.
create or replace function mattock.leave_worker(p_worker integer, p_died bigint[]) returns void language plpgsql as $$
declare
  l record;
begin
  perform mattock.lock_dispatch();
  for l in select id from mattock.load where state = 'running' and worker = p_worker loop
    perform mattock.give_back(l.id, l.id = any (p_died));
  end loop;
  delete from mattock.worker where id = p_worker;
end $$;
--> statement-breakpoint
-- Nothing new begins, what runs is broken off.
create or replace function mattock.stop_run(p_run integer) returns boolean language plpgsql as $$
begin
  perform mattock.lock_dispatch();
  update mattock.run set stopping = true where id = p_run and state in ('waiting', 'running', 'held');
  if not found then return false; end if;
  perform mattock.end_unrun(p_run, null, null, 'stopped', null, null);
  -- one that waited for another run of its job has begun to end
  update mattock.run set state = 'running' where id = p_run and state = 'waiting';
  update mattock.run_part set state = 'stopped', ended_at = mattock.run_now(p_run) where run_id = p_run and state in ('waiting', 'asking', 'held');
  perform mattock.advance_run(p_run);
  perform pg_notify('mattock', json_build_object('run', p_run)::text);
  return true;
end $$;
