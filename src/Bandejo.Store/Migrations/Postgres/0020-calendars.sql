CREATE TABLE calendar (
    slug TEXT COLLATE "C" PRIMARY KEY,
    data TEXT NOT NULL
);
