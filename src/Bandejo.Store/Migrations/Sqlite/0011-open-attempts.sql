-- The few attempts that have begun and not ended are read at each start; without this it would go over all there ever were.
CREATE INDEX attempt_open ON attempt (id) WHERE outcome IS NULL;
