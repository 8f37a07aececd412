-- What was, so that any past moment can be read. All of it is made from the log, as the other tables are. Each row holds all that there was (base is its own
-- number then) or what changed since the row before; number is that of the log's record, at the moment in ticks of UTC.

-- The targets of a page, as target_page has them.
CREATE TABLE target_past (
    place INTEGER NOT NULL,
    number INTEGER NOT NULL,
    base INTEGER NOT NULL,
    at INTEGER NOT NULL,
    body BLOB NOT NULL,
    PRIMARY KEY (place, number)
) WITHOUT ROWID;

-- How many targets of a book were in each state, after each record that changed it.
CREATE TABLE count_past (
    book INTEGER NOT NULL,
    number INTEGER NOT NULL,
    body BLOB NOT NULL,
    PRIMARY KEY (book, number)
) WITHOUT ROWID;

-- What a device said of itself.
CREATE TABLE device_past (
    device INTEGER NOT NULL,
    number INTEGER NOT NULL,
    base INTEGER NOT NULL,
    at INTEGER NOT NULL,
    body BLOB NOT NULL,
    PRIMARY KEY (device, number)
) WITHOUT ROWID;

-- Devices that were removed: nothing that is kept of them elsewhere counts from there on.
CREATE TABLE device_gone (
    device INTEGER PRIMARY KEY,
    number INTEGER NOT NULL,
    name TEXT NOT NULL
);

-- The words that device_past speaks in, each under a number that stays its own.
CREATE TABLE said_word (
    number INTEGER PRIMARY KEY,
    text TEXT NOT NULL UNIQUE
);

-- Who was in a group.
CREATE TABLE member_past (
    device_group TEXT NOT NULL,
    number INTEGER NOT NULL,
    base INTEGER NOT NULL,
    at INTEGER NOT NULL,
    body BLOB NOT NULL,
    PRIMARY KEY (device_group, number)
) WITHOUT ROWID;

-- Groups, plans of waves, handlings, packages, and where deployments stood; no data where it was removed.
CREATE TABLE document_past (
    kind TEXT NOT NULL,
    id TEXT NOT NULL,
    number INTEGER NOT NULL,
    at INTEGER NOT NULL,
    data TEXT,
    PRIMARY KEY (kind, id, number)
) WITHOUT ROWID;

-- How many there were at the end of a day (days since 1970, UTC), kept where it changed: devices of a kind, devices with a version of a program.
CREATE TABLE day_count (
    subject TEXT NOT NULL,
    part TEXT NOT NULL,
    day INTEGER NOT NULL,
    count INTEGER NOT NULL,
    PRIMARY KEY (subject, part, day)
) WITHOUT ROWID;

-- The audit trail, each entry with a digest of itself and all before it; and where it ends.
CREATE TABLE audit_chain (
    entry INTEGER PRIMARY KEY,
    -- Of the event.
    number INTEGER NOT NULL UNIQUE,
    digest BLOB NOT NULL
);

CREATE TABLE audit_head (
    one INTEGER PRIMARY KEY CHECK (one = 1),
    entries INTEGER NOT NULL,
    digest BLOB NOT NULL
);

INSERT INTO audit_head VALUES (1, 0, x'');

CREATE INDEX device_gone_by_name ON device_gone (name, number);
CREATE INDEX attempt_by_start ON attempt (started);
CREATE INDEX log_by_at ON log (at, number);
