CREATE TABLE "mattock"."job_put" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"environment" text NOT NULL,
	"job" text NOT NULL,
	"version_id" integer NOT NULL,
	"by" text NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
ALTER TABLE "mattock"."job_put" ADD CONSTRAINT "job_put_environment_environment_name_fk" FOREIGN KEY ("environment") REFERENCES "mattock"."environment"("name") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."job_put" ADD CONSTRAINT "job_put_job_job_name_fk" FOREIGN KEY ("job") REFERENCES "mattock"."job"("name") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."job_put" ADD CONSTRAINT "job_put_version_id_job_version_id_fk" FOREIGN KEY ("version_id") REFERENCES "mattock"."job_version"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "job_put_newest" ON "mattock"."job_put" USING btree ("environment","job","id");--> statement-breakpoint
-- what ran everywhere until now was the newest version of each job
INSERT INTO "mattock"."job_put" ("environment", "job", "version_id", "by", "at")
SELECT e.name, v.job, v.id, v.by, v.created_at FROM "mattock"."environment" e,
  (SELECT DISTINCT ON (job) job, id, by, created_at FROM "mattock"."job_version" ORDER BY job, version DESC) v;
