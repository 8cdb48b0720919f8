-- What was delivered where: the folder below the one that deliveries go to, and as JSON what was written, checked and changed. A delivery
-- outlasts its run.
CREATE TABLE deliveries (
    id INTEGER PRIMARY KEY,
    asset INTEGER NOT NULL REFERENCES assets (id) ON DELETE CASCADE,
    run INTEGER NOT NULL,
    folder TEXT NOT NULL,
    version INTEGER NOT NULL,
    made INTEGER NOT NULL,
    told TEXT NOT NULL
) STRICT;
CREATE INDEX deliveries_of_asset ON deliveries (asset, id);
