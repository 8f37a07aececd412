-- Sessions of browsers stand beside tokens, so that both can be ended; a token may have fewer rights than its person.
ALTER TABLE token ADD COLUMN roles TEXT;
ALTER TABLE token ADD COLUMN is_session INTEGER NOT NULL DEFAULT 0;

-- What users of devices said, by identity: each word counts once, for good.
CREATE TABLE user_word (
    device TEXT NOT NULL,
    word TEXT NOT NULL,
    PRIMARY KEY (device, word)
) WITHOUT ROWID;
