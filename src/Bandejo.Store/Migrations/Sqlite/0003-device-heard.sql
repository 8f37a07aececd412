-- When a device was last heard, apart from what it is, so that most check-ins write little.
CREATE TABLE device_heard (
    device TEXT PRIMARY KEY,
    at INTEGER NOT NULL,
    sequence INTEGER NOT NULL
) WITHOUT ROWID;
