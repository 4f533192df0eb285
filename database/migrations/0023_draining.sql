ALTER TABLE "mattock"."worker" ADD COLUMN "draining" boolean DEFAULT false NOT NULL;
--> statement-breakpoint
-- As in 0020; its row stays a moment, so that what it asked for and did not get yet is not given to it.
create or replace function mattock.leave_worker(p_worker integer, p_died bigint[]) returns void language plpgsql as $$
declare
  l record;
begin
  perform mattock.lock_dispatch();
  update mattock.worker set draining = true, holding = '{}', beat_at = clock_timestamp() - interval '1 hour' where id = p_worker;
  for l in select id from mattock.load where state = 'running' and worker = p_worker loop
    perform mattock.give_back(l.id, l.id = any (p_died));
  end loop;
end $$;
