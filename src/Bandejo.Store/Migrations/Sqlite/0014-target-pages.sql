-- Every change goes into its tables in the commit that makes it durable: nothing waits in 'recent' any more. So that this costs little, targets of
-- neighbouring devices stand together (targets.proto), and devices have numbers here, which are short, rise, and are never given twice.
-- Targets, and what waited, are brought over by the program (EarlierTargets), because their forms are none that SQL can read.
CREATE TABLE device_number (
    number INTEGER PRIMARY KEY,
    id TEXT NOT NULL UNIQUE
);

INSERT INTO device_number (id) SELECT id FROM device ORDER BY id;
INSERT OR IGNORE INTO device_number (id) SELECT DISTINCT device FROM attempt;
INSERT OR IGNORE INTO device_number (id) SELECT DISTINCT device FROM event WHERE device IS NOT NULL;
INSERT OR IGNORE INTO device_number (id) SELECT device FROM device_heard;

-- The targets of a deployment; of none while it is being started.
CREATE TABLE target_book (
    number INTEGER PRIMARY KEY,
    deployment TEXT UNIQUE
);

-- The place is the number of the book times 2^32, and the number of the page.
CREATE TABLE target_page (
    place INTEGER PRIMARY KEY,
    body BLOB NOT NULL
);

ALTER TABLE target RENAME TO target_before;

ALTER TABLE device_heard RENAME TO device_heard_before;

CREATE TABLE device_heard (
    device INTEGER PRIMARY KEY,
    at INTEGER NOT NULL,
    sequence INTEGER NOT NULL
);

INSERT INTO device_heard SELECT n.number, h.at, h.sequence FROM device_heard_before h JOIN device_number n ON n.id = h.device ORDER BY n.number;
DROP TABLE device_heard_before;

ALTER TABLE attempt RENAME TO attempt_before;
DROP INDEX attempt_by_deployment;
DROP INDEX attempt_by_device;
DROP INDEX attempt_open;

CREATE TABLE attempt (
    id TEXT PRIMARY KEY,
    deployment TEXT NOT NULL,
    device INTEGER NOT NULL,
    started INTEGER NOT NULL,
    outcome TEXT,
    data TEXT NOT NULL
) WITHOUT ROWID;

INSERT INTO attempt SELECT a.id, a.deployment, n.number, a.started, a.outcome, a.data FROM attempt_before a JOIN device_number n ON n.id = a.device;
DROP TABLE attempt_before;

CREATE INDEX attempt_by_deployment ON attempt (deployment, started);
CREATE INDEX attempt_by_device ON attempt (device, started);
CREATE INDEX attempt_open ON attempt (id) WHERE outcome IS NULL;

ALTER TABLE event RENAME TO event_before;
DROP INDEX event_by_deployment;
DROP INDEX event_by_device;
DROP INDEX event_by_topic;

CREATE TABLE event (
    number INTEGER PRIMARY KEY,
    at INTEGER NOT NULL,
    topic TEXT NOT NULL,
    what TEXT NOT NULL,
    actor TEXT,
    deployment TEXT,
    device INTEGER,
    text TEXT NOT NULL,
    reason TEXT
);

INSERT INTO event
SELECT e.number, e.at, e.topic, e.what, e.actor, e.deployment, n.number, e.text, e.reason
FROM event_before e LEFT JOIN device_number n ON n.id = e.device ORDER BY e.number;
DROP TABLE event_before;

CREATE INDEX event_by_deployment ON event (deployment, topic, number) WHERE deployment IS NOT NULL;
CREATE INDEX event_by_device ON event (device, number) WHERE device IS NOT NULL;
CREATE INDEX event_by_topic ON event (topic, number) WHERE topic NOT IN ('target', 'device');
