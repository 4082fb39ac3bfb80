-- What a step really took, as somebody typed it; the record's own clock where it is null.
ALTER TABLE run_event ADD COLUMN seconds INTEGER CHECK (seconds IS NULL OR seconds BETWEEN 0 AND 6000000);
