-- Assets, their recipe's revisions, the mesh files they refer to, and the ledger of runs. Files lie beside the database.
CREATE TABLE assets (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL,
    created INTEGER NOT NULL,
    head INTEGER NOT NULL
) STRICT;

CREATE TABLE revisions (
    asset INTEGER NOT NULL REFERENCES assets (id) ON DELETE CASCADE,
    number INTEGER NOT NULL,
    label TEXT NOT NULL,
    recipe TEXT NOT NULL,
    PRIMARY KEY (asset, number)
) STRICT;

-- What is known of a mesh file, as JSON; the bytes are the blob of that hash.
CREATE TABLE meshes (
    hash TEXT NOT NULL,
    file TEXT NOT NULL,
    summary TEXT NOT NULL,
    PRIMARY KEY (hash, file)
) STRICT;

CREATE TABLE runs (
    id INTEGER PRIMARY KEY,
    asset INTEGER NOT NULL REFERENCES assets (id) ON DELETE CASCADE,
    number INTEGER NOT NULL,
    kind TEXT NOT NULL,
    status TEXT NOT NULL,
    recipe TEXT NOT NULL,
    created INTEGER NOT NULL,
    report TEXT,
    error TEXT,
    UNIQUE (asset, number)
) STRICT;

CREATE TABLE run_files (
    run INTEGER NOT NULL REFERENCES runs (id) ON DELETE CASCADE,
    map TEXT NOT NULL,
    file TEXT NOT NULL,
    hash TEXT NOT NULL,
    bytes INTEGER NOT NULL,
    PRIMARY KEY (run, map)
) STRICT;
