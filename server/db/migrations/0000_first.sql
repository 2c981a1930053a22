CREATE TABLE `edits` (
	`project_id` text NOT NULL,
	`seq` integer NOT NULL,
	`group_id` text NOT NULL,
	`label` text NOT NULL,
	`forward` text NOT NULL,
	`backward` text NOT NULL,
	`at` integer NOT NULL,
	PRIMARY KEY(`project_id`, `seq`)
);
--> statement-breakpoint
CREATE TABLE `files` (
	`id` text PRIMARY KEY NOT NULL,
	`project_id` text NOT NULL,
	`path` text NOT NULL,
	`name` text NOT NULL,
	`size` integer NOT NULL,
	`content_key` text NOT NULL,
	`facts` text NOT NULL,
	`notes` text NOT NULL,
	`added_at` integer NOT NULL
);
--> statement-breakpoint
CREATE INDEX `files_by_project` ON `files` (`project_id`);--> statement-breakpoint
CREATE TABLE `jobs` (
	`id` text PRIMARY KEY NOT NULL,
	`project_id` text NOT NULL,
	`kind` text NOT NULL,
	`state` text NOT NULL,
	`priority` integer NOT NULL,
	`progress` integer NOT NULL,
	`title` text NOT NULL,
	`detail` text NOT NULL,
	`file_id` text,
	`payload` text NOT NULL,
	`result` text,
	`created_at` integer NOT NULL,
	`finished_at` integer
);
--> statement-breakpoint
CREATE INDEX `jobs_by_state` ON `jobs` (`state`,`priority`,`created_at`);--> statement-breakpoint
CREATE TABLE `projects` (
	`id` text PRIMARY KEY NOT NULL,
	`name` text NOT NULL,
	`doc` text NOT NULL,
	`revision` integer NOT NULL,
	`head` integer NOT NULL,
	`created_at` integer NOT NULL,
	`changed_at` integer NOT NULL,
	`deleted_at` integer
);
--> statement-breakpoint
CREATE TABLE `proofs` (
	`project_id` text NOT NULL,
	`clip_id` text NOT NULL,
	`proof` text NOT NULL,
	PRIMARY KEY(`project_id`, `clip_id`)
);
