ALTER TABLE `jobs` RENAME COLUMN "title" TO "about";--> statement-breakpoint
UPDATE `jobs` SET `about` = CASE
  WHEN `about` LIKE 'sound of %' THEN substr(`about`, 10)
  WHEN `about` LIKE 'light copy of %' THEN substr(`about`, 15)
  WHEN `about` LIKE 'film of %' THEN substr(`about`, 9)
  WHEN `about` = 'find the pulse' THEN 'beats'
  WHEN `about` LIKE 'find %' THEN substr(`about`, 6)
  ELSE '' END;
