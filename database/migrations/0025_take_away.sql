CREATE TABLE "mattock"."take_away" (
	"load_id" bigint NOT NULL,
	"step" text NOT NULL,
	"files" jsonb NOT NULL,
	CONSTRAINT "take_away_load_id_step_pk" PRIMARY KEY("load_id","step")
);
--> statement-breakpoint
ALTER TABLE "mattock"."take_away" ADD CONSTRAINT "take_away_load_id_load_id_fk" FOREIGN KEY ("load_id") REFERENCES "mattock"."load"("id") ON DELETE cascade ON UPDATE no action;