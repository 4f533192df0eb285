CREATE TABLE "mattock"."reject_file" (
	"load_id" bigint NOT NULL,
	"step" text NOT NULL,
	"piece" integer NOT NULL,
	"content" "bytea" NOT NULL,
	CONSTRAINT "reject_file_load_id_step_piece_pk" PRIMARY KEY("load_id","step","piece")
);
--> statement-breakpoint
ALTER TABLE "mattock"."reject_file" ADD CONSTRAINT "reject_file_load_id_load_id_fk" FOREIGN KEY ("load_id") REFERENCES "mattock"."load"("id") ON DELETE cascade ON UPDATE no action;