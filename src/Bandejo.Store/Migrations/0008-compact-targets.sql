-- Targets, and what waits in 'recent', are kept in a compact form (CompactForm): there are very many, and JSON made the larger part of reading and writing
-- them. The rows are brought over by the program (CompactTargets), because the form is none that SQL can write.
ALTER TABLE target RENAME TO target_before;
ALTER TABLE recent RENAME TO recent_before;

CREATE TABLE target (
    deployment TEXT NOT NULL,
    device TEXT NOT NULL,
    data BLOB NOT NULL,
    PRIMARY KEY (deployment, device)
) WITHOUT ROWID;

CREATE TABLE recent (
    number INTEGER PRIMARY KEY,
    data BLOB NOT NULL
);
