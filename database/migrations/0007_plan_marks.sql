ALTER TABLE "mattock"."plan" ADD COLUMN "marks" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "mattock"."planned_load" ADD COLUMN "mark" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
-- Plans that are there: each distinct pair of lists becomes a mark of its plan, and files a list of path and bytes.
create temporary table plan_mark on commit drop as
  select plan_id, connections, codes, row_number() over (partition by plan_id order by connections, codes) - 1 as mark
  from (select distinct plan_id, connections, codes from mattock.planned_load) d;
--> statement-breakpoint
update mattock.planned_load l set mark = m.mark,
  files = case when jsonb_typeof(l.files) = 'object' then (
    select coalesce(jsonb_agg(jsonb_build_array(f.name, case when f.n = 1 then l.files -> 'bytes' else '0' end) order by f.n), '[]')
    from jsonb_array_elements(l.files -> 'names') with ordinality f(name, n)) end
from plan_mark m where m.plan_id = l.plan_id and m.connections = l.connections and m.codes = l.codes;
--> statement-breakpoint
update mattock.plan p set marks = m.marks
from (select plan_id, jsonb_agg(jsonb_build_object('connections', to_jsonb(connections), 'codes', to_jsonb(codes)) order by mark) as marks
      from plan_mark group by plan_id) m
where m.plan_id = p.id;
