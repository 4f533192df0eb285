-- Texts of a try are addressed by step and path. Those of tries that are there are not shown any more; what is still to run is ended.
UPDATE "mattock"."try" SET loads = coalesce((SELECT jsonb_agg(l - 'resolved' || '{"texts": []}'::jsonb) FROM jsonb_array_elements(loads) l), '[]'::jsonb),
  state = CASE WHEN state IN ('waiting', 'running', 'held') THEN 'stopped' ELSE state END,
  ended_at = coalesce(ended_at, clock_timestamp());
