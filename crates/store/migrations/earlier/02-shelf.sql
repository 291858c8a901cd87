-- A small picture of each project, and the revision it shows.
ALTER TABLE projects ADD COLUMN picture BLOB;
ALTER TABLE projects ADD COLUMN picture_revision INTEGER NOT NULL DEFAULT -1;

-- Which meshes a journal row brings: when the last row that brings one is cut off, it goes too.
CREATE TABLE journal_meshes (
    project INTEGER NOT NULL,
    seq INTEGER NOT NULL,
    mesh BLOB NOT NULL,
    PRIMARY KEY (project, seq, mesh),
    FOREIGN KEY (project, seq) REFERENCES journal (project, seq) ON DELETE CASCADE
) WITHOUT ROWID;

-- Rows of earlier versions do not say what they brought; the first row answers for all of it.
INSERT INTO journal_meshes (project, seq, mesh)
    SELECT meshes.project, (SELECT min(seq) FROM journal WHERE project = meshes.project), meshes.id
    FROM meshes WHERE EXISTS (SELECT 1 FROM journal WHERE project = meshes.project);
