ALTER TABLE "mattock"."worker" ADD COLUMN "held_at" timestamp with time zone DEFAULT now() NOT NULL;--> statement-breakpoint
-- As in 0020 and 0027. A load that stops for a look in a run that is being stopped has stopped; and what a worker does not hold
-- counts only by a list that it gave well after the load was taken.

--> statement-breakpoint
create or replace function mattock.take_over(p_silent interval) returns integer language plpgsql as $$
declare
  l record;
  taken integer := 0;
begin
  perform mattock.lock_dispatch();
  for l in select a.id, w.id is null as died from mattock.load a
           left join mattock.worker w on w.id = a.worker and w.beat_at > clock_timestamp() - p_silent
           where a.state = 'running' and a.awaits is null
             and (w.id is null or a.taken_at < clock_timestamp() - p_silent and w.held_at > a.taken_at + p_silent / 2 and not a.id = any (w.holding)) loop
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
