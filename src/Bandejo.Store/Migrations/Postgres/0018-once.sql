-- Changes that were asked for with a key.
CREATE TABLE once (
    account TEXT COLLATE "C" NOT NULL,
    key TEXT COLLATE "C" NOT NULL,
    data TEXT NOT NULL,
    PRIMARY KEY (account, key)
);
