-- What became durable is kept once, in the log; the tables are made from it (log.proto). What stands in them already is what it begins with, written by the
-- program (LogBeginning).
CREATE TABLE log (
    number INTEGER PRIMARY KEY,
    epoch INTEGER NOT NULL,
    -- Ticks of UTC, 100 ns each, since 0001-01-01T00:00:00Z.
    at INTEGER NOT NULL,
    digest BLOB NOT NULL,
    body BLOB NOT NULL
);

-- Where the log ends, and who may write on.
CREATE TABLE log_head (
    one INTEGER PRIMARY KEY CHECK (one = 1),
    epoch INTEGER NOT NULL,
    number INTEGER NOT NULL,
    digest BLOB NOT NULL,
    -- Who that is, for people.
    holder TEXT NOT NULL
);

INSERT INTO log_head VALUES (1, 0, 0, x'', '');
