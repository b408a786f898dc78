-- Format 6: every row is sealed, over all of its columns; upgrade.py seals them once, those that format 5 found spoiled
-- stay so. A run notes what it touched, and a remembered value says what it is.

ALTER TABLE plan ADD COLUMN checksum INTEGER;
ALTER TABLE batch ADD COLUMN checksum INTEGER;
ALTER TABLE step ADD COLUMN checksum INTEGER;
ALTER TABLE recording ADD COLUMN parts INTEGER;         -- of the channels, counts and checksums of its clocks and series
ALTER TABLE recording ADD COLUMN checksum INTEGER;
ALTER TABLE span ADD COLUMN checksum INTEGER;
ALTER TABLE dismissal ADD COLUMN checksum INTEGER;
ALTER TABLE incident ADD COLUMN checksum INTEGER;
ALTER TABLE still ADD COLUMN size INTEGER;              -- of data, bytes
ALTER TABLE still ADD COLUMN crc INTEGER;               -- CRC-32 of data
ALTER TABLE still ADD COLUMN checksum INTEGER;
ALTER TABLE journal ADD COLUMN found TEXT;              -- JSON: how the machine was found, and what was touched since
ALTER TABLE state ADD COLUMN schema TEXT;
ALTER TABLE state ADD COLUMN version INTEGER;
ALTER TABLE derived ADD COLUMN checksum INTEGER;
DELETE FROM derived;                                    -- made anew
