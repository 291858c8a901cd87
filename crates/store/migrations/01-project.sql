-- One project: its journal, its meshes, and where it stands.
--
-- journal.change holds what was done and how to take it back; the rows up to project.cursor are in
-- effect, those after it are what redo brings back. The checkpoint is the document (without meshes)
-- as it was after journal row checkpoint.seq. What is large lies in rows of its own, so that moving
-- the cursor does not write it again. `sum` is a digest of all else in its row.
CREATE TABLE project (
    only       INTEGER PRIMARY KEY,
    name       TEXT    NOT NULL,
    created_ms INTEGER NOT NULL,
    opened_ms  INTEGER NOT NULL,
    revision   INTEGER NOT NULL,
    cursor     INTEGER NOT NULL,
    sum        BLOB    NOT NULL
) STRICT;

CREATE TABLE checkpoint (
    only INTEGER PRIMARY KEY,
    seq  INTEGER NOT NULL,
    data BLOB    NOT NULL,
    sum  BLOB    NOT NULL
) STRICT;

CREATE TABLE picture (
    only     INTEGER PRIMARY KEY,
    revision INTEGER NOT NULL,
    png      BLOB    NOT NULL
) STRICT;

-- Named by their content, which is digest enough.
CREATE TABLE meshes (
    id   BLOB PRIMARY KEY,
    data BLOB NOT NULL
) STRICT;

CREATE TABLE journal (
    seq     INTEGER PRIMARY KEY,
    at_ms   INTEGER NOT NULL,
    author  TEXT    NOT NULL,
    label   TEXT    NOT NULL,
    follows INTEGER NOT NULL,
    change  BLOB    NOT NULL,
    sum     BLOB    NOT NULL
) STRICT;

-- Which meshes a journal row brings: when the last row that brings one is cut off, it goes too.
CREATE TABLE journal_meshes (
    seq  INTEGER NOT NULL REFERENCES journal (seq) ON DELETE CASCADE,
    mesh BLOB    NOT NULL,
    PRIMARY KEY (seq, mesh)
) STRICT, WITHOUT ROWID;

-- Who the project is sent to, as the app describes it (JSON), and what was sent last (JSON).
CREATE TABLE recipients (
    name     TEXT PRIMARY KEY,
    settings TEXT NOT NULL,
    sent     TEXT
) STRICT;
