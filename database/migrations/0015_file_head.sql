CREATE TABLE "mattock"."file_head" (
	"environment" text NOT NULL,
	"connection" text NOT NULL,
	"path" text NOT NULL,
	"reading" text NOT NULL,
	"size" bigint NOT NULL,
	"modified" text NOT NULL,
	"header" text[],
	"head" jsonb NOT NULL,
	CONSTRAINT "file_head_environment_connection_path_reading_pk" PRIMARY KEY("environment","connection","path","reading")
);
