-- Beside the state after it, each revision keeps the change that led there; revisions of earlier versions have none.
ALTER TABLE revision ADD COLUMN change TEXT CHECK (change IS NULL OR json_valid(change));
