-- In which state each target of a book was, all together, kept now and then; count_past says which moved since. In the order of the numbers of devices
-- a byte for each: 0 for none, else the number of the state and one. Compressed by Zstandard.
CREATE TABLE state_past (
    book INTEGER NOT NULL,
    number INTEGER NOT NULL,
    body BLOB NOT NULL,
    PRIMARY KEY (book, number)
) WITHOUT ROWID;
