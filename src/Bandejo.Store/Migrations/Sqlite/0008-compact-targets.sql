-- Targets, and what waits in 'recent', are kept in a compact form: there are very many, and JSON made the larger part of reading and writing them.
-- What was kept before stays text, and is brought over with the rest at migration 14 (EarlierForms tells text from bytes).
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

INSERT INTO target SELECT deployment, device, data FROM target_before;
INSERT INTO recent SELECT number, CAST(data AS TEXT) FROM recent_before;
