-- how values are written was one of two words, and is now what it says
UPDATE "mattock"."dataset" SET "columns" = replace(replace("columns"::text, '"reading": "decimal-comma"', '"reading": {"decimal": ","}'), '"reading": "day.month.year"', '"reading": {"dates": ["d.M.yyyy"]}')::jsonb WHERE "columns"::text LIKE '%"reading": "%';
--> statement-breakpoint
UPDATE "mattock"."dataset_version" SET "columns" = replace(replace("columns"::text, '"reading": "decimal-comma"', '"reading": {"decimal": ","}'), '"reading": "day.month.year"', '"reading": {"dates": ["d.M.yyyy"]}')::jsonb WHERE "columns"::text LIKE '%"reading": "%';
--> statement-breakpoint
UPDATE "mattock"."survey_proposal" SET "found" = replace(replace("found"::text, '"reading": "decimal-comma"', '"reading": {"decimal": ","}'), '"reading": "day.month.year"', '"reading": {"dates": ["d.M.yyyy"]}')::jsonb, "change" = replace(replace("change"::text, '"reading": "decimal-comma"', '"reading": {"decimal": ","}'), '"reading": "day.month.year"', '"reading": {"dates": ["d.M.yyyy"]}')::jsonb WHERE "found"::text LIKE '%"reading": "%' OR "change"::text LIKE '%"reading": "%';
--> statement-breakpoint
UPDATE "mattock"."dataset" SET "waits" = replace(replace("waits"::text, '"reading": "decimal-comma"', '"reading": {"decimal": ","}'), '"reading": "day.month.year"', '"reading": {"dates": ["d.M.yyyy"]}')::jsonb WHERE "waits"::text LIKE '%"reading": "%';
