UPDATE `jobs` SET `kind` = 'copies' WHERE `kind` = 'light';
