-- The last trial that each device was asked for.
CREATE TABLE device_trial (
    device TEXT PRIMARY KEY,
    data TEXT NOT NULL
) WITHOUT ROWID;
