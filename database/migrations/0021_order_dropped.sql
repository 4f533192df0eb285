ALTER TABLE "mattock"."load" DROP COLUMN "connections";--> statement-breakpoint
ALTER TABLE "mattock"."run" DROP COLUMN "part";--> statement-breakpoint
ALTER TABLE "mattock"."run" DROP COLUMN "at_once";