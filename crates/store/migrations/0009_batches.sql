-- Assets that are baked one after the other and delivered by one profile, and what became of each.
CREATE TABLE batches (
    id INTEGER PRIMARY KEY,
    made INTEGER NOT NULL,
    -- As JSON; none where nothing is delivered.
    profile TEXT
) STRICT;

CREATE TABLE batch_lines (
    batch INTEGER NOT NULL REFERENCES batches (id) ON DELETE CASCADE,
    place INTEGER NOT NULL,
    asset INTEGER NOT NULL REFERENCES assets (id) ON DELETE CASCADE,
    -- Below the folder that deliveries go to.
    folder TEXT NOT NULL,
    -- None where it could not be baked.
    run INTEGER,
    unchanged INTEGER NOT NULL,
    delivery INTEGER,
    fault TEXT,
    PRIMARY KEY (batch, place)
) STRICT;
