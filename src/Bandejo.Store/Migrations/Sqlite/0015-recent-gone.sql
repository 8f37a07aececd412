DROP TABLE target_before;
DROP TABLE recent;
