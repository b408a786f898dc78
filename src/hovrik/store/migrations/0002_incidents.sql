-- Crashes, hangs and the like: what happened, at which setup, under which versions. Taken back by a further row.

CREATE TABLE incident (
    id          TEXT PRIMARY KEY,
    kind        TEXT NOT NULL CHECK (kind IN ('crash', 'hang', 'kick', 'artefact', 'reboot', 'taken back')),
    rig         TEXT NOT NULL REFERENCES entity (id),
    slot        TEXT NOT NULL REFERENCES entity (id),
    title       TEXT NOT NULL REFERENCES entity (id),
    scene       TEXT NOT NULL REFERENCES entity (id),
    setup       TEXT NOT NULL,      -- JSON
    body        TEXT NOT NULL,      -- JSON: phase, note; for 'taken back' {"id": ...}
    noted_at    INTEGER NOT NULL    -- UTC, ns
);

CREATE TRIGGER incident_no_update BEFORE UPDATE ON incident BEGIN SELECT RAISE(ABORT, 'incidents are append-only'); END;
CREATE TRIGGER incident_no_delete BEFORE DELETE ON incident BEGIN SELECT RAISE(ABORT, 'incidents are append-only'); END;
