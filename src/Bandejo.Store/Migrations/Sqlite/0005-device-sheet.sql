-- What devices say of themselves is kept in a compact form (Bandejo.Core, Fleet/FactSheet), with the words that they say alike kept once.
-- The rows are brought over by the program (DeviceSheets), because the form is none that SQL can write.
CREATE TABLE word (
    number INTEGER PRIMARY KEY,
    text TEXT NOT NULL
);

ALTER TABLE device RENAME TO device_before;

CREATE TABLE device (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    key_id TEXT NOT NULL UNIQUE,
    key_x TEXT NOT NULL,
    key_y TEXT NOT NULL,
    join_code TEXT NOT NULL,
    joined INTEGER NOT NULL,
    last_heard INTEGER,
    sequence INTEGER NOT NULL,
    facts_digest TEXT NOT NULL,
    is_sorted INTEGER NOT NULL,
    user_words TEXT,
    sheet BLOB NOT NULL
) WITHOUT ROWID;
