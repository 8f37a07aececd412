-- The tables as they stand in the sixteenth version, from which on they are kept in PostgreSQL too. What each is for, the migrations of Sqlite tell.
-- Texts are ordered by their bytes, as there.
CREATE TABLE setting (
    name TEXT COLLATE "C" PRIMARY KEY,
    value TEXT COLLATE "C" NOT NULL
);

CREATE TABLE account (
    name TEXT COLLATE "C" PRIMARY KEY,
    data TEXT COLLATE "C" NOT NULL
);

CREATE TABLE token (
    id TEXT COLLATE "C" PRIMARY KEY,
    account TEXT COLLATE "C" NOT NULL,
    hash TEXT COLLATE "C" NOT NULL UNIQUE,
    label TEXT COLLATE "C" NOT NULL,
    created BIGINT NOT NULL,
    expires BIGINT NOT NULL,
    roles TEXT COLLATE "C",
    is_session BIGINT NOT NULL DEFAULT 0
);

CREATE TABLE join_code (
    id TEXT COLLATE "C" PRIMARY KEY,
    hash TEXT COLLATE "C" NOT NULL UNIQUE,
    device_group TEXT COLLATE "C",
    uses_left BIGINT NOT NULL,
    expires BIGINT NOT NULL,
    made_by TEXT COLLATE "C" NOT NULL
);

CREATE TABLE device_group (
    slug TEXT COLLATE "C" PRIMARY KEY,
    data TEXT COLLATE "C" NOT NULL
);

CREATE TABLE group_member (
    device_group TEXT COLLATE "C" NOT NULL,
    device TEXT COLLATE "C" NOT NULL,
    PRIMARY KEY (device_group, device)
);

CREATE TABLE package (
    digest TEXT COLLATE "C" PRIMARY KEY,
    app TEXT COLLATE "C" NOT NULL,
    version TEXT COLLATE "C" NOT NULL,
    data TEXT COLLATE "C" NOT NULL,
    UNIQUE (app, version)
);

CREATE TABLE deployment (
    id TEXT COLLATE "C" PRIMARY KEY,
    plan_data TEXT COLLATE "C" NOT NULL,
    state_data TEXT COLLATE "C" NOT NULL
);

CREATE TABLE wave_plan (
    slug TEXT COLLATE "C" PRIMARY KEY,
    data TEXT COLLATE "C" NOT NULL
);

CREATE TABLE word (
    number BIGINT PRIMARY KEY,
    text TEXT COLLATE "C" NOT NULL
);

CREATE TABLE device (
    id TEXT COLLATE "C" PRIMARY KEY,
    name TEXT COLLATE "C" NOT NULL UNIQUE,
    key_id TEXT COLLATE "C" NOT NULL UNIQUE,
    key_x TEXT COLLATE "C" NOT NULL,
    key_y TEXT COLLATE "C" NOT NULL,
    join_code TEXT COLLATE "C" NOT NULL,
    joined BIGINT NOT NULL,
    last_heard BIGINT,
    sequence BIGINT NOT NULL,
    facts_digest TEXT COLLATE "C" NOT NULL,
    is_sorted BIGINT NOT NULL,
    user_words TEXT COLLATE "C",
    sheet BYTEA NOT NULL
);

CREATE TABLE device_trial (
    device TEXT COLLATE "C" PRIMARY KEY,
    data TEXT COLLATE "C" NOT NULL
);

CREATE TABLE user_word (
    device TEXT COLLATE "C" NOT NULL,
    word TEXT COLLATE "C" NOT NULL,
    PRIMARY KEY (device, word)
);

CREATE TABLE handling (
    slug TEXT COLLATE "C" PRIMARY KEY,
    data TEXT COLLATE "C" NOT NULL
);

CREATE TABLE device_number (
    number BIGINT PRIMARY KEY,
    id TEXT COLLATE "C" NOT NULL UNIQUE
);

CREATE TABLE target_book (
    number BIGINT PRIMARY KEY,
    deployment TEXT COLLATE "C" UNIQUE
);

CREATE TABLE target_page (
    place BIGINT PRIMARY KEY,
    body BYTEA NOT NULL
);

CREATE TABLE device_heard (
    device BIGINT PRIMARY KEY,
    at BIGINT NOT NULL,
    sequence BIGINT NOT NULL
);

CREATE TABLE attempt (
    id TEXT COLLATE "C" PRIMARY KEY,
    deployment TEXT COLLATE "C" NOT NULL,
    device BIGINT NOT NULL,
    started BIGINT NOT NULL,
    outcome TEXT COLLATE "C",
    data TEXT COLLATE "C" NOT NULL
);

CREATE INDEX attempt_by_deployment ON attempt (deployment, started);

CREATE INDEX attempt_by_device ON attempt (device, started);

CREATE INDEX attempt_open ON attempt (id) WHERE outcome IS NULL;
CREATE TABLE event (
    number BIGINT PRIMARY KEY,
    at BIGINT NOT NULL,
    topic TEXT COLLATE "C" NOT NULL,
    what TEXT COLLATE "C" NOT NULL,
    actor TEXT COLLATE "C",
    deployment TEXT COLLATE "C",
    device BIGINT,
    text TEXT COLLATE "C" NOT NULL,
    reason TEXT COLLATE "C"
);

CREATE INDEX event_by_deployment ON event (deployment, topic, number) WHERE deployment IS NOT NULL;
CREATE INDEX event_by_device ON event (device, number) WHERE device IS NOT NULL;
CREATE INDEX event_by_topic ON event (topic, number) WHERE topic NOT IN ('target', 'device');

CREATE TABLE log (
    number BIGINT PRIMARY KEY,
    epoch BIGINT NOT NULL,
    -- Ticks of UTC, 100 ns each, since 0001-01-01T00:00:00Z.
    at BIGINT NOT NULL,
    digest BYTEA NOT NULL,
    body BYTEA NOT NULL
);

CREATE TABLE log_head (
    one BIGINT PRIMARY KEY CHECK (one = 1),
    epoch BIGINT NOT NULL,
    number BIGINT NOT NULL,
    digest BYTEA NOT NULL,
    -- Who that is, for people.
    holder TEXT COLLATE "C" NOT NULL
);

CREATE TABLE schema_version (
    one BIGINT PRIMARY KEY CHECK (one = 1),
    version BIGINT NOT NULL
);

INSERT INTO schema_version VALUES (1, 0);
INSERT INTO log_head VALUES (1, 0, 0, ''::bytea, '');
