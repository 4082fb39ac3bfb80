-- A machine that is deleted is looked for among those that are the same as another: without an index, in all of them.
CREATE INDEX fleet_machine_same ON fleet_machine (same_of) WHERE same_of IS NOT NULL;

-- A fleet is deleted in pieces, so that nobody else waits: marked first, and gone for everybody from then on.
ALTER TABLE fleet ADD COLUMN gone INTEGER NOT NULL DEFAULT 0 CHECK (gone IN (0, 1));

-- A browser in which somebody signed in before: wrong passwords from elsewhere do not lock it out.
CREATE TABLE device (
    digest  TEXT PRIMARY KEY CHECK (length(digest) = 64),
    person  INTEGER NOT NULL REFERENCES person (id) ON DELETE CASCADE,
    used_at INTEGER NOT NULL
) STRICT;
CREATE INDEX device_person ON device (person);
