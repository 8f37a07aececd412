-- Changes that were asked for with a key.
CREATE TABLE once (
    account TEXT NOT NULL,
    key TEXT NOT NULL,
    data TEXT NOT NULL,
    PRIMARY KEY (account, key)
) WITHOUT ROWID;
