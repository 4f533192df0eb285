ALTER TABLE "mattock"."planned_load" DROP COLUMN "connections";--> statement-breakpoint
ALTER TABLE "mattock"."planned_load" DROP COLUMN "codes";