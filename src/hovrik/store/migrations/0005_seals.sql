-- Format 5: a checksum of what each row says, so that a bit that flips in one is noticed as it is in a series.

ALTER TABLE pass ADD COLUMN checksum INTEGER;          -- CRC-32 of the row's values; NULL: not known
ALTER TABLE entity ADD COLUMN checksum INTEGER;
ALTER TABLE annotation ADD COLUMN checksum INTEGER;
ALTER TABLE journal ADD COLUMN checksum INTEGER;
ALTER TABLE profile ADD COLUMN checksum INTEGER;
ALTER TABLE state ADD COLUMN checksum INTEGER;
