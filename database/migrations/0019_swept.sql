CREATE TABLE "mattock"."swept" (
	"kind" text PRIMARY KEY NOT NULL,
	"total" integer NOT NULL,
	"last" integer NOT NULL,
	"at" timestamp with time zone NOT NULL
);
