-- Results are written here first, many to a row and all in a row, and go into their tables later, many at a time.
CREATE TABLE recent (
    number INTEGER PRIMARY KEY,
    data BLOB NOT NULL
);

-- Attempts are asked for by device, or by deployment and time.
DROP INDEX attempt_by_target;
CREATE INDEX attempt_by_deployment ON attempt (deployment, started);
