CREATE TABLE "mattock"."planned_load" (
	"plan_id" integer NOT NULL,
	"number" integer NOT NULL,
	"part" integer NOT NULL,
	"row" integer,
	"slice" integer,
	"title" text,
	"resolved" jsonb,
	"connections" text[] NOT NULL,
	"files" jsonb,
	"codes" text[] NOT NULL,
	"left" boolean DEFAULT false NOT NULL,
	CONSTRAINT "planned_load_plan_id_number_pk" PRIMARY KEY("plan_id","number")
);
--> statement-breakpoint
CREATE TABLE "mattock"."plan_row" (
	"plan_id" integer NOT NULL,
	"part" integer NOT NULL,
	"row" integer NOT NULL,
	"key" text NOT NULL,
	"cells" jsonb NOT NULL,
	"resolved" jsonb NOT NULL,
	CONSTRAINT "plan_row_plan_id_part_row_pk" PRIMARY KEY("plan_id","part","row")
);
--> statement-breakpoint
CREATE TABLE "mattock"."plan_slice" (
	"plan_id" integer NOT NULL,
	"part" integer NOT NULL,
	"slice" integer NOT NULL,
	"from" timestamp with time zone NOT NULL,
	"to" timestamp with time zone NOT NULL,
	"label" text NOT NULL,
	"resolved" jsonb NOT NULL,
	CONSTRAINT "plan_slice_plan_id_part_slice_pk" PRIMARY KEY("plan_id","part","slice")
);
--> statement-breakpoint
ALTER TABLE "mattock"."plan_row" ADD CONSTRAINT "plan_row_plan_id_plan_id_fk" FOREIGN KEY ("plan_id") REFERENCES "mattock"."plan"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."plan_slice" ADD CONSTRAINT "plan_slice_plan_id_plan_id_fk" FOREIGN KEY ("plan_id") REFERENCES "mattock"."plan"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
-- plans of before: each load keeps all that it resolves to
INSERT INTO "mattock"."plan_row" SELECT plan_id, part, row_number() OVER (PARTITION BY plan_id, part ORDER BY first) - 1, row_key, "row", '[]'
FROM (SELECT plan_id, part, row_key, (array_agg("row"))[1] AS "row", min(number) AS first FROM "mattock"."plan_load" WHERE "row" IS NOT NULL GROUP BY plan_id, part, row_key) k;--> statement-breakpoint
INSERT INTO "mattock"."plan_slice" SELECT plan_id, part, row_number() OVER (PARTITION BY plan_id, part ORDER BY slice_from, slice_to) - 1, slice_from, slice_to, coalesce(slice_label, ''), '[]'
FROM (SELECT DISTINCT plan_id, part, slice_from, slice_to, slice_label FROM "mattock"."plan_load" WHERE slice_from IS NOT NULL) k;--> statement-breakpoint
INSERT INTO "mattock"."planned_load" (plan_id, number, part, "row", slice, title, resolved, connections, files, codes, "left")
SELECT l.plan_id, l.number, l.part, r."row", s.slice, CASE WHEN l."row" IS NULL THEN l.key END, l.resolved, l.connections, l.files, l.codes, l."left"
FROM "mattock"."plan_load" l
LEFT JOIN "mattock"."plan_row" r ON r.plan_id = l.plan_id AND r.part = l.part AND r.key = l.row_key
LEFT JOIN "mattock"."plan_slice" s ON s.plan_id = l.plan_id AND s.part = l.part AND s."from" = l.slice_from AND s."to" = l.slice_to;
