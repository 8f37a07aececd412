-- Instants are whole milliseconds since 1970-01-01T00:00:00Z.

CREATE TABLE setting (
    name TEXT PRIMARY KEY,
    value TEXT NOT NULL
) WITHOUT ROWID;

CREATE TABLE account (
    name TEXT PRIMARY KEY,
    data TEXT NOT NULL
) WITHOUT ROWID;

CREATE TABLE token (
    id TEXT PRIMARY KEY,
    account TEXT NOT NULL,
    hash TEXT NOT NULL UNIQUE,
    label TEXT NOT NULL,
    created INTEGER NOT NULL,
    expires INTEGER NOT NULL
) WITHOUT ROWID;

CREATE TABLE join_code (
    id TEXT PRIMARY KEY,
    hash TEXT NOT NULL UNIQUE,
    device_group TEXT,
    uses_left INTEGER NOT NULL,
    expires INTEGER NOT NULL,
    made_by TEXT NOT NULL
) WITHOUT ROWID;

CREATE TABLE device (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    key_id TEXT NOT NULL UNIQUE,
    data TEXT NOT NULL
) WITHOUT ROWID;

CREATE TABLE device_group (
    slug TEXT PRIMARY KEY,
    data TEXT NOT NULL
) WITHOUT ROWID;

CREATE TABLE group_member (
    device_group TEXT NOT NULL,
    device TEXT NOT NULL,
    PRIMARY KEY (device_group, device)
) WITHOUT ROWID;

CREATE TABLE package (
    digest TEXT PRIMARY KEY,
    app TEXT NOT NULL,
    version TEXT NOT NULL,
    data TEXT NOT NULL,
    UNIQUE (app, version)
) WITHOUT ROWID;

CREATE TABLE deployment (
    id TEXT PRIMARY KEY,
    plan_data TEXT NOT NULL,
    state_data TEXT NOT NULL
) WITHOUT ROWID;

CREATE TABLE target (
    deployment TEXT NOT NULL,
    device TEXT NOT NULL,
    data TEXT NOT NULL,
    PRIMARY KEY (deployment, device)
) WITHOUT ROWID;

CREATE TABLE attempt (
    id TEXT PRIMARY KEY,
    deployment TEXT NOT NULL,
    device TEXT NOT NULL,
    started INTEGER NOT NULL,
    outcome TEXT,
    data TEXT NOT NULL
) WITHOUT ROWID;

CREATE INDEX attempt_by_target ON attempt (deployment, device, started);
CREATE INDEX attempt_by_device ON attempt (device, started);

CREATE TABLE event (
    number INTEGER PRIMARY KEY,
    at INTEGER NOT NULL,
    topic TEXT NOT NULL,
    what TEXT NOT NULL,
    actor TEXT,
    deployment TEXT,
    device TEXT,
    text TEXT NOT NULL,
    reason TEXT
);

CREATE INDEX event_by_deployment ON event (deployment, topic, number) WHERE deployment IS NOT NULL;
CREATE INDEX event_by_device ON event (device, number) WHERE device IS NOT NULL;
CREATE INDEX event_by_topic ON event (topic, number);
