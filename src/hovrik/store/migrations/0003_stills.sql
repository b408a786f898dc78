-- Pictures of what a set-up looks like, attached to a pass, for paired looking.

CREATE TABLE still (
    id          TEXT PRIMARY KEY,
    pass_id     TEXT NOT NULL REFERENCES pass (id),
    name        TEXT NOT NULL,
    media       TEXT NOT NULL CHECK (media IN ('image/png', 'image/jpeg', 'image/webp')),
    data        BLOB NOT NULL,      -- the file as it was
    noted_at    INTEGER NOT NULL,   -- UTC, ns
    removed_at  INTEGER             -- UTC, ns; null while it is shown
);

CREATE INDEX still_by_pass ON still (pass_id);
