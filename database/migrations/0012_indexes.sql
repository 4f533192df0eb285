CREATE INDEX "load_key_index" ON "mattock"."load" USING btree ("key");--> statement-breakpoint
CREATE INDEX "plan_job_id_index" ON "mattock"."plan" USING btree ("job","id" DESC NULLS LAST);--> statement-breakpoint
CREATE INDEX "plan_created_at_index" ON "mattock"."plan" USING btree ("created_at" DESC NULLS LAST);--> statement-breakpoint
CREATE INDEX "run_plan_id_index" ON "mattock"."run" USING btree ("plan_id");