CREATE TABLE "mattock"."coverage" (
	"job" text NOT NULL,
	"environment" text NOT NULL,
	"part" text NOT NULL,
	"row_key" text NOT NULL,
	"slice_from" timestamp with time zone NOT NULL,
	"slice_to" timestamp with time zone NOT NULL,
	"slice_label" text NOT NULL,
	"state" text NOT NULL,
	"ended_at" timestamp with time zone NOT NULL,
	"load_id" bigint NOT NULL,
	"run_id" integer NOT NULL,
	"loaded_at" timestamp with time zone,
	"loaded_by" bigint,
	"rows" bigint DEFAULT 0 NOT NULL,
	"read" bigint DEFAULT 0 NOT NULL,
	"rejected" bigint DEFAULT 0 NOT NULL,
	"loads" integer DEFAULT 1 NOT NULL,
	CONSTRAINT "coverage_job_environment_part_row_key_slice_from_slice_to_pk" PRIMARY KEY("job","environment","part","row_key","slice_from","slice_to")
);
--> statement-breakpoint
ALTER TABLE "mattock"."plan" ADD COLUMN "picks" jsonb;--> statement-breakpoint
CREATE INDEX "coverage_slice" ON "mattock"."coverage" USING btree ("environment","job","slice_from","slice_to");--> statement-breakpoint
-- a load that ends is noted for its row and slice in the same transaction, whoever ends it
create function mattock.note_coverage() returns trigger language plpgsql as $$
declare
  r record;
  c record;
  -- what never ran has no end of its own
  v_at timestamptz := coalesce(new.ended_at, mattock.run_now(new.run_id));
begin
  select run.job, run.environment, run.rerun_from, coalesce(p.id, '#' || new.part) as part into r
  from mattock.run left join mattock.run_part p on p.run_id = run.id and p.part = new.part where run.id = new.run_id;
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
  return null;
end $$;
--> statement-breakpoint
create trigger load_coverage after update of state on mattock.load for each row
  when (new.slice_from is not null and new.state in ('done', 'failed', 'skipped', 'stopped') and old.state is distinct from new.state)
  execute function mattock.note_coverage();
--> statement-breakpoint
-- what became of each row and slice, by the loads that are kept: for what ended before this was noted
create function mattock.cover_history() returns void language sql as $$
  insert into mattock.coverage as v (job, environment, part, row_key, slice_from, slice_to, slice_label, state, ended_at, load_id, run_id, loaded_at, loaded_by, rows, read, rejected, loads)
  select n.job, n.environment, n.part, n.row_key, n.slice_from, n.slice_to, n.slice_label, n.state, n.ended_at, n.id, n.run_id,
    d.ended_at, d.id, coalesce(d.written + d.unchanged + d.merged, 0), coalesce(d.read, 0), coalesce(d.rejected, 0), n.loads
  from (
    select r.job, r.environment, coalesce(p.id, '#' || l.part) as part, coalesce(l.row_key, '') as row_key, l.slice_from, l.slice_to, max(coalesce(l.slice_label, '')) as slice_label, count(*) as loads,
      (array_agg(l.state order by l.ended_at desc nulls last, l.id desc))[1] as state, max(coalesce(l.ended_at, r.ended_at, r.created_at)) as ended_at,
      (array_agg(l.id order by l.ended_at desc nulls last, l.id desc))[1] as id, (array_agg(l.run_id order by l.ended_at desc nulls last, l.id desc))[1] as run_id,
      (array_agg(l.id order by l.ended_at desc nulls last, l.id desc) filter (where l.state = 'done' and (r.rerun_from is null or not r.rerun_from ? 'only')))[1] as done
    from mattock.load l join mattock.run r on r.id = l.run_id left join mattock.run_part p on p.run_id = l.run_id and p.part = l.part
    where l.slice_from is not null and l.state in ('done', 'failed', 'skipped', 'stopped')
    group by 1, 2, 3, 4, 5, 6) n
  left join mattock.load d on d.id = n.done
  on conflict do nothing
$$;
--> statement-breakpoint
select mattock.cover_history();
