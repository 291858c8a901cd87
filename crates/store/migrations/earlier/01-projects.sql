-- Projects, their journal and their meshes.
--
-- journal.change holds what was done and how to take it back; the rows up to projects.cursor are in
-- effect, those after it are what redo brings back. projects.checkpoint is the document (without
-- meshes) as it was after journal row checkpoint_seq.
CREATE TABLE projects (
    id             INTEGER PRIMARY KEY,
    name           TEXT    NOT NULL,
    created_ms     INTEGER NOT NULL,
    opened_ms      INTEGER NOT NULL,
    revision       INTEGER NOT NULL DEFAULT 0,
    cursor         INTEGER NOT NULL DEFAULT 0,
    checkpoint     BLOB,
    checkpoint_seq INTEGER NOT NULL DEFAULT 0
) STRICT;

CREATE TABLE meshes (
    project INTEGER NOT NULL REFERENCES projects (id) ON DELETE CASCADE,
    id      BLOB    NOT NULL,
    data    BLOB    NOT NULL,
    PRIMARY KEY (project, id)
) STRICT;

CREATE TABLE journal (
    project INTEGER NOT NULL REFERENCES projects (id) ON DELETE CASCADE,
    seq     INTEGER NOT NULL,
    at_ms   INTEGER NOT NULL,
    author  TEXT    NOT NULL,
    label   TEXT    NOT NULL,
    change  BLOB    NOT NULL,
    PRIMARY KEY (project, seq)
) STRICT;
