-- The notebook as it began. Later files change it; none is edited once released.

CREATE TABLE entity (               -- immutable version of a rig, slot, title or scene
    id          TEXT PRIMARY KEY,
    kind        TEXT NOT NULL CHECK (kind IN ('rig', 'slot', 'title', 'scene')),
    key         TEXT NOT NULL,      -- stable word shared by all versions
    parent      TEXT REFERENCES entity (id),
    body        TEXT NOT NULL,      -- JSON
    noted_at    INTEGER NOT NULL    -- UTC, ns
);
CREATE INDEX entity_by_key ON entity (kind, key, noted_at);

CREATE TABLE plan (
    id          TEXT PRIMARY KEY,
    body        TEXT NOT NULL,      -- JSON: design, question, context, planned passes
    noted_at    INTEGER NOT NULL
);

CREATE TABLE journal (              -- one row a run; open until the snapshot is confirmed back on the machine
    id          TEXT PRIMARY KEY,
    plan_id     TEXT NOT NULL REFERENCES plan (id),
    machine     TEXT NOT NULL,      -- JSON: how to reach the machine again
    snapshot    TEXT NOT NULL,      -- JSON
    position    INTEGER NOT NULL DEFAULT -1,
    began_at    INTEGER NOT NULL,
    restored_at INTEGER
);

CREATE TABLE pass (                 -- append-only
    id          TEXT PRIMARY KEY,
    plan_id     TEXT REFERENCES plan (id),
    plan_index  INTEGER,
    rig         TEXT NOT NULL REFERENCES entity (id),
    slot        TEXT NOT NULL REFERENCES entity (id),
    title       TEXT NOT NULL REFERENCES entity (id),
    scene       TEXT NOT NULL REFERENCES entity (id),
    origin      TEXT NOT NULL CHECK (origin IN ('measured', 'imported', 'summary')),
    purpose     TEXT NOT NULL,
    outcome     TEXT NOT NULL CHECK (outcome IN ('done', 'aborted', 'failed')),
    reason      TEXT NOT NULL,
    asked       TEXT NOT NULL,      -- JSON: setup asked for
    read        TEXT NOT NULL,      -- JSON: setup read back
    conditions  TEXT NOT NULL,      -- JSON
    summary     TEXT NOT NULL,      -- JSON: figures given instead of a trace
    started_ns  INTEGER NOT NULL,   -- machine time
    start_ns    INTEGER NOT NULL,   -- start mark
    end_ns      INTEGER NOT NULL,   -- end mark
    noted_at    INTEGER NOT NULL
);
CREATE INDEX pass_by_plan ON pass (plan_id, plan_index);

CREATE TABLE chunk (                -- raw series, append-only
    pass_id     TEXT NOT NULL REFERENCES pass (id),
    channel     TEXT NOT NULL,      -- 'frames' has stamps only
    number      INTEGER NOT NULL,
    count       INTEGER NOT NULL,
    stamps      BLOB NOT NULL,      -- little-endian int64 ns
    samples     BLOB,               -- little-endian float64
    PRIMARY KEY (pass_id, channel, number)
) WITHOUT ROWID;

CREATE TABLE annotation (           -- verdicts, marks, overrules, deletions: append-only, undone by a later row
    id          INTEGER PRIMARY KEY,
    uid         TEXT NOT NULL UNIQUE,
    pass_id     TEXT NOT NULL REFERENCES pass (id),
    kind        TEXT NOT NULL CHECK (kind IN ('verdict', 'mark', 'overrule', 'deletion', 'undo')),
    body        TEXT NOT NULL,      -- JSON; for 'undo' {"uid": ...}
    noted_at    INTEGER NOT NULL
);
CREATE INDEX annotation_by_pass ON annotation (pass_id, id);

CREATE TABLE derived (              -- cache; may be emptied at any time
    pass_id     TEXT NOT NULL REFERENCES pass (id),
    algorithm   TEXT NOT NULL,
    version     INTEGER NOT NULL,
    revision    INTEGER NOT NULL,   -- annotations of the pass when computed
    body        TEXT NOT NULL,
    PRIMARY KEY (pass_id, algorithm)
) WITHOUT ROWID;

CREATE TABLE profile (              -- one card for title x slot x source; a newer row replaces an older
    id          TEXT PRIMARY KEY,
    rig_key     TEXT NOT NULL,
    slot_key    TEXT NOT NULL,
    title_key   TEXT NOT NULL,
    source      TEXT NOT NULL,
    body        TEXT NOT NULL,      -- JSON
    noted_at    INTEGER NOT NULL,
    removed_at  INTEGER
);

CREATE TABLE state (                -- the question, the plan being edited, what was selected
    key         TEXT PRIMARY KEY,
    body        TEXT NOT NULL
) WITHOUT ROWID;

CREATE TRIGGER pass_no_update   BEFORE UPDATE ON pass   BEGIN SELECT RAISE(ABORT, 'passes are append-only'); END;
CREATE TRIGGER pass_no_delete   BEFORE DELETE ON pass   BEGIN SELECT RAISE(ABORT, 'passes are append-only'); END;
CREATE TRIGGER chunk_no_update  BEFORE UPDATE ON chunk  BEGIN SELECT RAISE(ABORT, 'series are append-only'); END;
CREATE TRIGGER chunk_no_delete  BEFORE DELETE ON chunk  BEGIN SELECT RAISE(ABORT, 'series are append-only'); END;
CREATE TRIGGER entity_no_update BEFORE UPDATE ON entity BEGIN SELECT RAISE(ABORT, 'versions are immutable'); END;
CREATE TRIGGER entity_no_delete BEFORE DELETE ON entity BEGIN SELECT RAISE(ABORT, 'versions are immutable'); END;
CREATE TRIGGER annotation_no_update BEFORE UPDATE ON annotation BEGIN SELECT RAISE(ABORT, 'annotations are append-only'); END;
CREATE TRIGGER annotation_no_delete BEFORE DELETE ON annotation BEGIN SELECT RAISE(ABORT, 'annotations are append-only'); END;
