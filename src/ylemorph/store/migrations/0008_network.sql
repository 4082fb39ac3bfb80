-- Who may sign in where Ylemorph serves a network. A password is kept as its salted hash alone.
CREATE TABLE person (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    name       TEXT NOT NULL UNIQUE COLLATE NOCASE CHECK (length(name) BETWEEN 1 AND 80),
    role       TEXT NOT NULL CHECK (role IN ('workshop', 'bench', 'look')),
    password   TEXT NOT NULL,
    created_at TEXT NOT NULL
) STRICT;

-- A signed-in browser, by the digest of what its cookie holds; token must come back with every write.
CREATE TABLE session (
    digest   TEXT PRIMARY KEY CHECK (length(digest) = 64),
    person   INTEGER NOT NULL REFERENCES person (id) ON DELETE CASCADE,
    token    TEXT NOT NULL,
    begun_at INTEGER NOT NULL,
    seen_at  INTEGER NOT NULL
) STRICT;
CREATE INDEX session_person ON session (person);

-- Codes under which a customer's machine may send its disks, once, to one job or fleet; by their digest.
CREATE TABLE collect_code (
    digest   TEXT PRIMARY KEY CHECK (length(digest) = 64),
    job      INTEGER REFERENCES job (id) ON DELETE CASCADE,
    fleet    INTEGER REFERENCES fleet (id) ON DELETE CASCADE,
    made_by  TEXT NOT NULL,
    ends_at  INTEGER NOT NULL,
    CHECK ((job IS NULL) <> (fleet IS NULL))
) STRICT;

-- What arrived for a job and was not yet looked at: the listing as it was sent.
CREATE TABLE arrival (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    job        INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    machine    TEXT NOT NULL,
    body       TEXT NOT NULL,
    arrived_at TEXT NOT NULL
) STRICT;
CREATE INDEX arrival_job ON arrival (job);

-- Of a very long history the old entries keep who, when and what, and no longer the job as it was.
ALTER TABLE revision ADD COLUMN thin INTEGER NOT NULL DEFAULT 0 CHECK (thin IN (0, 1));
