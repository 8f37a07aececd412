-- What was, so that any past moment can be read. All of it is made from the log, as the other tables are. Each row holds all that there was (base is its own
-- number then) or what changed since the row before; number is that of the log's record, at the moment in ticks of UTC.

-- The targets of a page, as target_page has them.
CREATE TABLE target_past (
    place BIGINT NOT NULL,
    number BIGINT NOT NULL,
    base BIGINT NOT NULL,
    at BIGINT NOT NULL,
    body BYTEA NOT NULL,
    PRIMARY KEY (place, number)
);

-- How many targets of a book were in each state, after each record that changed it.
CREATE TABLE count_past (
    book BIGINT NOT NULL,
    number BIGINT NOT NULL,
    body BYTEA NOT NULL,
    PRIMARY KEY (book, number)
);

-- What a device said of itself.
CREATE TABLE device_past (
    device BIGINT NOT NULL,
    number BIGINT NOT NULL,
    base BIGINT NOT NULL,
    at BIGINT NOT NULL,
    body BYTEA NOT NULL,
    PRIMARY KEY (device, number)
);

-- Devices that were removed: nothing that is kept of them elsewhere counts from there on.
CREATE TABLE device_gone (
    device BIGINT PRIMARY KEY,
    number BIGINT NOT NULL,
    name TEXT COLLATE "C" NOT NULL
);

-- The words that device_past speaks in, each under a number that stays its own.
CREATE TABLE said_word (
    number BIGINT PRIMARY KEY,
    text TEXT COLLATE "C" NOT NULL UNIQUE
);

-- Who was in a group.
CREATE TABLE member_past (
    device_group TEXT COLLATE "C" NOT NULL,
    number BIGINT NOT NULL,
    base BIGINT NOT NULL,
    at BIGINT NOT NULL,
    body BYTEA NOT NULL,
    PRIMARY KEY (device_group, number)
);

-- Groups, plans of waves, handlings, packages, and where deployments stood; no data where it was removed.
CREATE TABLE document_past (
    kind TEXT COLLATE "C" NOT NULL,
    id TEXT COLLATE "C" NOT NULL,
    number BIGINT NOT NULL,
    at BIGINT NOT NULL,
    data TEXT COLLATE "C",
    PRIMARY KEY (kind, id, number)
);

-- How many there were at the end of a day (days since 1970, UTC), kept where it changed: devices of a kind, devices with a version of a program.
CREATE TABLE day_count (
    subject TEXT COLLATE "C" NOT NULL,
    part TEXT COLLATE "C" NOT NULL,
    day BIGINT NOT NULL,
    count BIGINT NOT NULL,
    PRIMARY KEY (subject, part, day)
);

-- The audit trail, each entry with a digest of itself and all before it; and where it ends.
CREATE TABLE audit_chain (
    entry BIGINT PRIMARY KEY,
    -- Of the event.
    number BIGINT NOT NULL UNIQUE,
    digest BYTEA NOT NULL
);

CREATE TABLE audit_head (
    one BIGINT PRIMARY KEY CHECK (one = 1),
    entries BIGINT NOT NULL,
    digest BYTEA NOT NULL
);

INSERT INTO audit_head VALUES (1, 0, ''::bytea);

CREATE INDEX device_gone_by_name ON device_gone (name, number);
CREATE INDEX attempt_by_start ON attempt (started);
CREATE INDEX log_by_at ON log (at, number);
