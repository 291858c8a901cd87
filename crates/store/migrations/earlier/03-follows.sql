-- A row that goes with the one before it: undo takes both back, redo lays both on.
ALTER TABLE journal ADD COLUMN follows INTEGER NOT NULL DEFAULT 0;
