CREATE TABLE "mattock"."alert_message" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"key" text NOT NULL,
	"rule" text NOT NULL,
	"title" text NOT NULL,
	"environment" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"type" text NOT NULL,
	"address" jsonb NOT NULL,
	"subject" text NOT NULL,
	"text" text NOT NULL,
	"told" jsonb NOT NULL,
	"state" text NOT NULL,
	"tries" integer DEFAULT 0 NOT NULL,
	"next_at" timestamp with time zone NOT NULL,
	"said" text,
	"ended_at" timestamp with time zone
);
--> statement-breakpoint
CREATE TABLE "mattock"."alert_open" (
	"rule" text NOT NULL,
	"environment" text NOT NULL,
	"cause" text NOT NULL,
	"news" jsonb NOT NULL,
	"seen_at" timestamp with time zone NOT NULL,
	"told_at" timestamp with time zone,
	CONSTRAINT "alert_open_rule_environment_cause_pk" PRIMARY KEY("rule","environment","cause")
);
--> statement-breakpoint
CREATE TABLE "mattock"."alert_rule" (
	"name" text PRIMARY KEY NOT NULL,
	"rule" jsonb NOT NULL,
	"active" boolean DEFAULT true NOT NULL,
	"updated_by" text NOT NULL,
	"updated_at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "mattock"."alert_summary" (
	"rule" text NOT NULL,
	"environment" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	CONSTRAINT "alert_summary_rule_environment_pk" PRIMARY KEY("rule","environment")
);
--> statement-breakpoint
CREATE TABLE "mattock"."alert_watch" (
	"environment" text PRIMARY KEY NOT NULL,
	"looked_at" timestamp with time zone NOT NULL,
	"known_from" timestamp with time zone
);
--> statement-breakpoint
CREATE TABLE "mattock"."matter_span" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"environment" text NOT NULL,
	"key" text NOT NULL,
	"kind" text NOT NULL,
	"cause" text NOT NULL,
	"job" text,
	"title" text NOT NULL,
	"text" text NOT NULL,
	"since" timestamp with time zone NOT NULL,
	"until" timestamp with time zone
);
--> statement-breakpoint
ALTER TABLE "mattock"."alert_message" ADD CONSTRAINT "alert_message_environment_environment_name_fk" FOREIGN KEY ("environment") REFERENCES "mattock"."environment"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."alert_open" ADD CONSTRAINT "alert_open_rule_alert_rule_name_fk" FOREIGN KEY ("rule") REFERENCES "mattock"."alert_rule"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."alert_open" ADD CONSTRAINT "alert_open_environment_environment_name_fk" FOREIGN KEY ("environment") REFERENCES "mattock"."environment"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."alert_summary" ADD CONSTRAINT "alert_summary_rule_alert_rule_name_fk" FOREIGN KEY ("rule") REFERENCES "mattock"."alert_rule"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."alert_summary" ADD CONSTRAINT "alert_summary_environment_environment_name_fk" FOREIGN KEY ("environment") REFERENCES "mattock"."environment"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."alert_watch" ADD CONSTRAINT "alert_watch_environment_environment_name_fk" FOREIGN KEY ("environment") REFERENCES "mattock"."environment"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "mattock"."matter_span" ADD CONSTRAINT "matter_span_environment_environment_name_fk" FOREIGN KEY ("environment") REFERENCES "mattock"."environment"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "alert_message_waiting" ON "mattock"."alert_message" USING btree ("next_at") WHERE state = 'waiting';--> statement-breakpoint
CREATE INDEX "alert_message_at" ON "mattock"."alert_message" USING btree ("environment","at" DESC NULLS LAST);--> statement-breakpoint
CREATE INDEX "alert_message_rule" ON "mattock"."alert_message" USING btree ("rule","environment","at" DESC NULLS LAST);--> statement-breakpoint
CREATE UNIQUE INDEX "matter_span_once" ON "mattock"."matter_span" USING btree ("environment","key","since");--> statement-breakpoint
CREATE UNIQUE INDEX "matter_span_open" ON "mattock"."matter_span" USING btree ("environment","key") WHERE until is null;--> statement-breakpoint
CREATE INDEX "matter_span_since" ON "mattock"."matter_span" USING btree ("environment","since");