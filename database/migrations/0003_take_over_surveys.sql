-- Surveys of workers that fell silent go to others; what they had read is kept (mattock.file_shape), so they go on.
create function mattock.take_over_surveys(p_silent interval) returns integer language plpgsql as $$
declare
  s record;
  taken integer := 0;
begin
  perform mattock.lock_dispatch();
  for s in select id, attempt from mattock.survey a
           where state = 'running'
             and not exists (select 1 from mattock.worker w where w.id = a.worker and w.beat_at > clock_timestamp() - p_silent) loop
    if s.attempt >= 5 then
      update mattock.survey set state = 'failed', ended_at = clock_timestamp(), fault = 'five workers ended while running it' where id = s.id;
    else
      update mattock.survey set state = 'waiting', worker = null where id = s.id;
      perform graphile_worker.add_job('survey', json_build_object('survey', s.id), job_key := 'survey:' || s.id, max_attempts := 1);
    end if;
    taken := taken + 1;
  end loop;
  return taken;
end $$;
