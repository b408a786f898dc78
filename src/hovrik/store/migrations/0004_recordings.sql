-- Kinds and outcomes are checked in code, so that a new one needs no new table; every append-only row has a sequence
-- number, so that the newest is told by it and not by a clock; series become one packed blob a channel of a recording,
-- of which a pass is a span; plans hold their steps. upgrade.py packs the series of the chunks and drops them.

CREATE TABLE entity_new (           -- a version of a rig, slot, title or scene; immutable once a row uses it
    seq         INTEGER PRIMARY KEY AUTOINCREMENT,
    id          TEXT NOT NULL UNIQUE,
    kind        TEXT NOT NULL,
    key         TEXT NOT NULL,      -- stable word shared by all versions
    parent      TEXT REFERENCES entity (id),
    body        TEXT NOT NULL,      -- JSON
    noted_at    INTEGER NOT NULL,   -- UTC, ns
    frozen_at   INTEGER             -- UTC, ns; null while nothing was made under it
);
INSERT INTO entity_new (id, kind, key, parent, body, noted_at, frozen_at)
    SELECT id, kind, key, parent, body, noted_at, noted_at FROM entity ORDER BY noted_at, rowid;
DROP TABLE entity;
ALTER TABLE entity_new RENAME TO entity;
CREATE INDEX entity_by_key ON entity (kind, key, seq);

CREATE TABLE plan_new (
    seq         INTEGER PRIMARY KEY AUTOINCREMENT,
    id          TEXT NOT NULL UNIQUE,
    body        TEXT NOT NULL,      -- JSON: design, question, context, conditions
    noted_at    INTEGER NOT NULL
);
INSERT INTO plan_new (id, body, noted_at) SELECT id, body, noted_at FROM plan ORDER BY noted_at, rowid;
DROP TABLE plan;
ALTER TABLE plan_new RENAME TO plan;

CREATE TABLE batch (                -- what a design gave when it was asked; never asked again
    seq         INTEGER PRIMARY KEY AUTOINCREMENT,
    plan_id     TEXT NOT NULL REFERENCES plan (id),
    number      INTEGER NOT NULL,
    told        TEXT NOT NULL,      -- JSON: ids of the passes it was decided on
    why         TEXT NOT NULL,
    is_last     INTEGER NOT NULL,   -- whether the design was done with it
    noted_at    INTEGER NOT NULL,
    UNIQUE (plan_id, number)
);

CREATE TABLE step (                 -- may be edited until it is begun
    seq         INTEGER PRIMARY KEY AUTOINCREMENT,
    id          TEXT NOT NULL UNIQUE,
    plan_id     TEXT NOT NULL REFERENCES plan (id),
    batch       INTEGER NOT NULL,
    position    INTEGER NOT NULL,   -- its place in the batch
    kind        TEXT NOT NULL,
    body        TEXT NOT NULL,      -- JSON
    begun_at    INTEGER,            -- UTC, ns
    UNIQUE (plan_id, batch, position)
);

CREATE TABLE journal_new (          -- one row a run; open until the snapshot is confirmed back on the machine
    seq         INTEGER PRIMARY KEY AUTOINCREMENT,
    id          TEXT NOT NULL UNIQUE,
    plan_id     TEXT NOT NULL REFERENCES plan (id),
    machine     TEXT NOT NULL,      -- JSON: how to reach the machine again
    snapshot    TEXT NOT NULL,      -- JSON
    position    INTEGER NOT NULL DEFAULT -1,
    began_at    INTEGER NOT NULL,
    restored_at INTEGER
);
INSERT INTO journal_new (id, plan_id, machine, snapshot, position, began_at, restored_at)
    SELECT id, plan_id, machine, snapshot, position, began_at, restored_at FROM journal ORDER BY began_at, rowid;
DROP TABLE journal;
ALTER TABLE journal_new RENAME TO journal;

CREATE TABLE recording (            -- what a machine or a log gave from one start to one end; append-only
    seq         INTEGER PRIMARY KEY AUTOINCREMENT,
    id          TEXT NOT NULL UNIQUE,
    start_ns    INTEGER NOT NULL,   -- machine time
    end_ns      INTEGER NOT NULL,
    launch      TEXT NOT NULL,      -- id of the launch it belongs to, '' unknown
    boot        TEXT NOT NULL,
    readback    TEXT NOT NULL,      -- JSON: [[ns, setup], ...]
    noted_at    INTEGER NOT NULL
);

CREATE TABLE clock (                -- stamps that channels of a recording share
    seq         INTEGER PRIMARY KEY AUTOINCREMENT,
    recording_id TEXT NOT NULL REFERENCES recording (id),
    count       INTEGER NOT NULL,
    data        BLOB NOT NULL,      -- packed
    checksum    INTEGER NOT NULL    -- CRC-32 of data
);
CREATE INDEX clock_of_recording ON clock (recording_id);

CREATE TABLE series (
    seq         INTEGER PRIMARY KEY AUTOINCREMENT,
    recording_id TEXT NOT NULL REFERENCES recording (id),
    channel     TEXT NOT NULL,      -- 'frames' has stamps only
    clock       INTEGER NOT NULL REFERENCES clock (seq),
    data        BLOB,               -- packed
    checksum    INTEGER,
    UNIQUE (recording_id, channel)
);

CREATE TABLE span (                 -- a named stretch of a recording: a state of a flip, a scene of an evening
    seq         INTEGER PRIMARY KEY AUTOINCREMENT,
    id          TEXT NOT NULL UNIQUE,
    recording_id TEXT NOT NULL REFERENCES recording (id),
    kind        TEXT NOT NULL,
    name        TEXT NOT NULL,
    start_ns    INTEGER NOT NULL,
    end_ns      INTEGER NOT NULL,
    noted_at    INTEGER NOT NULL
);
CREATE INDEX span_of_recording ON span (recording_id);

CREATE TABLE pass_new (             -- a marked span of a recording with what it was made at; append-only
    seq         INTEGER PRIMARY KEY AUTOINCREMENT,
    id          TEXT NOT NULL UNIQUE,
    plan_id     TEXT REFERENCES plan (id),
    plan_index  INTEGER,
    step_id     TEXT,               -- the step that measured it
    recording_id TEXT REFERENCES recording (id),
    from_ns     INTEGER NOT NULL,   -- what of the recording belongs to it, its soak included
    to_ns       INTEGER NOT NULL,
    start_ns    INTEGER NOT NULL,   -- start mark
    end_ns      INTEGER NOT NULL,   -- end mark
    rig         TEXT NOT NULL REFERENCES entity (id),
    slot        TEXT NOT NULL REFERENCES entity (id),
    title       TEXT NOT NULL REFERENCES entity (id),
    scene       TEXT NOT NULL REFERENCES entity (id),
    rig_key     TEXT NOT NULL,      -- the keys of these, for asking by scope
    slot_key    TEXT NOT NULL,
    title_key   TEXT NOT NULL,
    scene_key   TEXT NOT NULL,
    source      TEXT,               -- battery, adapter; null where it is not noted
    log_part    TEXT,               -- what names its part of a log, for importing once
    origin      TEXT NOT NULL,
    purpose     TEXT NOT NULL,
    outcome     TEXT NOT NULL,
    reason      TEXT NOT NULL,
    asked       TEXT NOT NULL,      -- JSON: setup asked for
    read        TEXT NOT NULL,      -- JSON: setup read back
    conditions  TEXT NOT NULL,      -- JSON
    summary     TEXT NOT NULL,      -- JSON: figures given instead of a recording
    started_ns  INTEGER NOT NULL,   -- machine time
    noted_at    INTEGER NOT NULL
);
INSERT INTO recording (id, start_ns, end_ns, launch, boot, readback, noted_at)
    SELECT id, start_ns, end_ns, '', '', '[]', noted_at FROM pass
    WHERE id IN (SELECT pass_id FROM chunk) ORDER BY noted_at, rowid;
INSERT INTO pass_new (id, plan_id, plan_index, step_id, recording_id, from_ns, to_ns, start_ns, end_ns, rig, slot, title, scene,
        rig_key, slot_key, title_key, scene_key, source, log_part, origin, purpose, outcome, reason, asked, read,
        conditions, summary, started_ns, noted_at)
    SELECT p.id, plan_id, plan_index, plan_id || '/' || plan_index, recording.id, -9223372036854775807, 9223372036854775806, p.start_ns, p.end_ns,
        rig, slot, title, scene, r.key, s.key, t.key, c.key, json_extract(conditions, '$.source.value'),
        json_extract(conditions, '$.log_part.value'), origin, purpose, outcome, reason, asked, read, conditions,
        summary, started_ns, p.noted_at
    FROM pass p LEFT JOIN recording ON recording.id = p.id
        JOIN entity r ON r.id = rig JOIN entity s ON s.id = slot JOIN entity t ON t.id = title
        JOIN entity c ON c.id = scene
    ORDER BY p.noted_at, p.rowid;
DROP TABLE pass;
ALTER TABLE pass_new RENAME TO pass;
CREATE INDEX pass_by_plan ON pass (plan_id, plan_index);
CREATE INDEX pass_in_scope ON pass (rig_key, title_key, slot_key, scene_key, source, purpose);
CREATE INDEX pass_by_recording ON pass (recording_id);
CREATE INDEX pass_by_log ON pass (log_part) WHERE log_part IS NOT NULL;

CREATE TABLE annotation_new (       -- marks, overrules, deletions: append-only, undone by a later row
    seq         INTEGER PRIMARY KEY AUTOINCREMENT,
    uid         TEXT NOT NULL UNIQUE,
    pass_id     TEXT NOT NULL REFERENCES pass (id),
    kind        TEXT NOT NULL,
    body        TEXT NOT NULL,      -- JSON; for 'undo' {"uid": ...}
    noted_at    INTEGER NOT NULL
);
INSERT INTO annotation_new (uid, pass_id, kind, body, noted_at)
    SELECT uid, pass_id, kind, body, noted_at FROM annotation ORDER BY id;
DROP TABLE annotation;
ALTER TABLE annotation_new RENAME TO annotation;
CREATE INDEX annotation_by_pass ON annotation (pass_id, seq);

CREATE TABLE dismissal (            -- a finding that a person put aside, with the reason; taken back by a later row
    seq         INTEGER PRIMARY KEY AUTOINCREMENT,
    id          TEXT NOT NULL UNIQUE,
    finding     TEXT NOT NULL,      -- id of the finding
    about       TEXT NOT NULL,      -- what it is about, as the finding names it
    reason      TEXT NOT NULL,
    undoes      TEXT,               -- id of the row that this one takes back
    noted_at    INTEGER NOT NULL
);

CREATE TABLE incident_new (
    seq         INTEGER PRIMARY KEY AUTOINCREMENT,
    id          TEXT NOT NULL UNIQUE,
    kind        TEXT NOT NULL,
    rig         TEXT NOT NULL REFERENCES entity (id),
    slot        TEXT NOT NULL REFERENCES entity (id),
    title       TEXT NOT NULL REFERENCES entity (id),
    scene       TEXT NOT NULL REFERENCES entity (id),
    setup       TEXT NOT NULL,      -- JSON
    body        TEXT NOT NULL,      -- JSON: phase, note; for 'taken back' {"id": ...}
    noted_at    INTEGER NOT NULL    -- UTC, ns
);
INSERT INTO incident_new (id, kind, rig, slot, title, scene, setup, body, noted_at)
    SELECT id, kind, rig, slot, title, scene, setup, body, noted_at FROM incident ORDER BY noted_at, rowid;
DROP TABLE incident;
ALTER TABLE incident_new RENAME TO incident;

CREATE TABLE still_new (
    seq         INTEGER PRIMARY KEY AUTOINCREMENT,
    id          TEXT NOT NULL UNIQUE,
    pass_id     TEXT NOT NULL REFERENCES pass (id),
    name        TEXT NOT NULL,
    media       TEXT NOT NULL,
    data        BLOB NOT NULL,      -- the file as it was
    noted_at    INTEGER NOT NULL,   -- UTC, ns
    removed_at  INTEGER             -- UTC, ns; null while it is shown
);
INSERT INTO still_new (id, pass_id, name, media, data, noted_at, removed_at)
    SELECT id, pass_id, name, media, data, noted_at, removed_at FROM still ORDER BY noted_at, rowid;
DROP TABLE still;
ALTER TABLE still_new RENAME TO still;
CREATE INDEX still_by_pass ON still (pass_id);

CREATE TABLE profile_new (          -- one card for title x slot x source; a newer row replaces an older
    seq         INTEGER PRIMARY KEY AUTOINCREMENT,
    id          TEXT NOT NULL UNIQUE,
    rig_key     TEXT NOT NULL,
    slot_key    TEXT NOT NULL,
    title_key   TEXT NOT NULL,
    source      TEXT NOT NULL,
    body        TEXT NOT NULL,      -- JSON
    noted_at    INTEGER NOT NULL,
    removed_at  INTEGER
);
INSERT INTO profile_new (id, rig_key, slot_key, title_key, source, body, noted_at, removed_at)
    SELECT id, rig_key, slot_key, title_key, source, body, noted_at, removed_at FROM profile ORDER BY noted_at, rowid;
DROP TABLE profile;
ALTER TABLE profile_new RENAME TO profile;

DROP TABLE derived;
CREATE TABLE derived (              -- cache; may be emptied at any time
    pass_id     TEXT NOT NULL REFERENCES pass (id),
    algorithm   TEXT NOT NULL,
    version     INTEGER NOT NULL,
    revision    INTEGER NOT NULL,   -- annotations of the pass when computed
    body        BLOB NOT NULL,      -- packed
    PRIMARY KEY (pass_id, algorithm)
);
CREATE INDEX derived_by_algorithm ON derived (algorithm, version);

CREATE TRIGGER entity_no_update BEFORE UPDATE ON entity WHEN OLD.frozen_at IS NOT NULL
    BEGIN SELECT RAISE(ABORT, 'versions are immutable'); END;
CREATE TRIGGER entity_no_delete BEFORE DELETE ON entity BEGIN SELECT RAISE(ABORT, 'versions are immutable'); END;
CREATE TRIGGER batch_no_update BEFORE UPDATE ON batch BEGIN SELECT RAISE(ABORT, 'batches are append-only'); END;
CREATE TRIGGER batch_no_delete BEFORE DELETE ON batch BEGIN SELECT RAISE(ABORT, 'batches are append-only'); END;
CREATE TRIGGER step_no_update BEFORE UPDATE ON step WHEN OLD.begun_at IS NOT NULL
    BEGIN SELECT RAISE(ABORT, 'steps that are begun are append-only'); END;
CREATE TRIGGER step_no_delete BEFORE DELETE ON step WHEN OLD.begun_at IS NOT NULL
    BEGIN SELECT RAISE(ABORT, 'steps that are begun are append-only'); END;
CREATE TRIGGER recording_no_update BEFORE UPDATE ON recording BEGIN SELECT RAISE(ABORT, 'series are append-only'); END;
CREATE TRIGGER recording_no_delete BEFORE DELETE ON recording BEGIN SELECT RAISE(ABORT, 'series are append-only'); END;
CREATE TRIGGER clock_no_update BEFORE UPDATE ON clock BEGIN SELECT RAISE(ABORT, 'series are append-only'); END;
CREATE TRIGGER clock_no_delete BEFORE DELETE ON clock BEGIN SELECT RAISE(ABORT, 'series are append-only'); END;
CREATE TRIGGER series_no_update BEFORE UPDATE ON series BEGIN SELECT RAISE(ABORT, 'series are append-only'); END;
CREATE TRIGGER series_no_delete BEFORE DELETE ON series BEGIN SELECT RAISE(ABORT, 'series are append-only'); END;
CREATE TRIGGER span_no_update BEFORE UPDATE ON span BEGIN SELECT RAISE(ABORT, 'spans are append-only'); END;
CREATE TRIGGER span_no_delete BEFORE DELETE ON span BEGIN SELECT RAISE(ABORT, 'spans are append-only'); END;
CREATE TRIGGER pass_no_update BEFORE UPDATE ON pass BEGIN SELECT RAISE(ABORT, 'passes are append-only'); END;
CREATE TRIGGER pass_no_delete BEFORE DELETE ON pass BEGIN SELECT RAISE(ABORT, 'passes are append-only'); END;
CREATE TRIGGER annotation_no_update BEFORE UPDATE ON annotation
    BEGIN SELECT RAISE(ABORT, 'annotations are append-only'); END;
CREATE TRIGGER annotation_no_delete BEFORE DELETE ON annotation
    BEGIN SELECT RAISE(ABORT, 'annotations are append-only'); END;
CREATE TRIGGER dismissal_no_update BEFORE UPDATE ON dismissal
    BEGIN SELECT RAISE(ABORT, 'dismissals are append-only'); END;
CREATE TRIGGER dismissal_no_delete BEFORE DELETE ON dismissal
    BEGIN SELECT RAISE(ABORT, 'dismissals are append-only'); END;
CREATE TRIGGER incident_no_update BEFORE UPDATE ON incident
    BEGIN SELECT RAISE(ABORT, 'incidents are append-only'); END;
CREATE TRIGGER incident_no_delete BEFORE DELETE ON incident
    BEGIN SELECT RAISE(ABORT, 'incidents are append-only'); END;
