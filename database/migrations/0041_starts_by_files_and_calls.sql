CREATE TABLE "mattock"."arrival_seen" (
	"environment" text NOT NULL,
	"job" text NOT NULL,
	"start" text NOT NULL,
	"item" text NOT NULL,
	"files" text NOT NULL,
	"since" timestamp with time zone NOT NULL,
	"taken_at" timestamp with time zone,
	CONSTRAINT "arrival_seen_environment_job_start_item_pk" PRIMARY KEY("environment","job","start","item")
);
--> statement-breakpoint
CREATE TABLE "mattock"."call_key" (
	"environment" text NOT NULL,
	"job" text NOT NULL,
	"start" text NOT NULL,
	"secret" "bytea" NOT NULL,
	"made_by" text NOT NULL,
	"made_at" timestamp with time zone NOT NULL,
	"used_at" timestamp with time zone,
	CONSTRAINT "call_key_environment_job_start_pk" PRIMARY KEY("environment","job","start")
);
--> statement-breakpoint
ALTER TABLE "mattock"."occasion" ADD COLUMN "picks" jsonb;--> statement-breakpoint
ALTER TABLE "mattock"."arrival_seen" ADD CONSTRAINT "arrival_seen_environment_environment_name_fk" FOREIGN KEY ("environment") REFERENCES "mattock"."environment"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."call_key" ADD CONSTRAINT "call_key_environment_environment_name_fk" FOREIGN KEY ("environment") REFERENCES "mattock"."environment"("name") ON DELETE cascade ON UPDATE no action;