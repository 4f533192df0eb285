CREATE TABLE "mattock"."arrival_answer" (
	"environment" text NOT NULL,
	"job" text NOT NULL,
	"part" text NOT NULL,
	"row_key" text NOT NULL,
	"slice_from" timestamp with time zone NOT NULL,
	"kind" text NOT NULL,
	"until" timestamp with time zone,
	"why" text NOT NULL,
	"by" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	CONSTRAINT "arrival_answer_environment_job_part_row_key_slice_from_pk" PRIMARY KEY("environment","job","part","row_key","slice_from")
);
--> statement-breakpoint
ALTER TABLE "mattock"."arrival_answer" ADD CONSTRAINT "arrival_answer_environment_environment_name_fk" FOREIGN KEY ("environment") REFERENCES "mattock"."environment"("name") ON DELETE cascade ON UPDATE no action;