ALTER TABLE `edits` ADD `author` text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE `edits` ADD `state` text DEFAULT 'done' NOT NULL;--> statement-breakpoint
CREATE INDEX `edits_by_state` ON `edits` (`project_id`,`state`,`seq`);--> statement-breakpoint
ALTER TABLE `jobs` ADD `author` text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE `jobs` ADD `crashes` integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE `jobs` ADD `raw` text;--> statement-breakpoint
UPDATE `edits` SET `state` = 'undone' WHERE `seq` > (SELECT `head` FROM `projects` WHERE `projects`.`id` = `edits`.`project_id`);--> statement-breakpoint
UPDATE `projects` SET `head` = COALESCE((SELECT MAX(`seq`) FROM `edits` WHERE `edits`.`project_id` = `projects`.`id`), 0);
