-- Who a project is sent to, as the app describes it (JSON), and what was sent last (JSON).
CREATE TABLE recipients (
    project  INTEGER NOT NULL REFERENCES projects (id) ON DELETE CASCADE,
    name     TEXT    NOT NULL,
    settings TEXT    NOT NULL,
    sent     TEXT,
    PRIMARY KEY (project, name)
) STRICT;
