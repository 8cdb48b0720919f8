-- Revisions are numbered once for ever: undoing goes to the parent, redoing to the next, and a new edit takes a number that was
-- never used. Runs carry what the ledger shows, so that it is read without recipes and reports.
ALTER TABLE assets ADD COLUMN last INTEGER NOT NULL DEFAULT 0;
UPDATE assets SET last = coalesce((SELECT max(number) FROM revisions WHERE asset = assets.id), 0);

ALTER TABLE revisions ADD COLUMN parent INTEGER;
ALTER TABLE revisions ADD COLUMN next INTEGER;
UPDATE revisions SET parent = number - 1 WHERE number > 0;
UPDATE revisions SET next = number + 1 WHERE EXISTS (
    SELECT 1 FROM revisions AS later WHERE later.asset = revisions.asset AND later.number = revisions.number + 1
);

ALTER TABLE runs ADD COLUMN size INTEGER NOT NULL DEFAULT 0;
ALTER TABLE runs ADD COLUMN samples INTEGER NOT NULL DEFAULT 0;
-- What differs from the run before, and the maps that were made: lists of words as JSON.
ALTER TABLE runs ADD COLUMN changes TEXT NOT NULL DEFAULT '[]';
ALTER TABLE runs ADD COLUMN maps TEXT NOT NULL DEFAULT '[]';
ALTER TABLE runs ADD COLUMN failed_maps INTEGER NOT NULL DEFAULT 0;
-- Findings that are more than notes.
ALTER TABLE runs ADD COLUMN findings INTEGER NOT NULL DEFAULT 0;
ALTER TABLE runs ADD COLUMN seconds REAL;
-- Of the maps' files, without pictures for the page.
ALTER TABLE runs ADD COLUMN bytes INTEGER NOT NULL DEFAULT 0;
UPDATE runs SET
    size = coalesce(json_extract(recipe, '$.sheet.size'), 0),
    samples = coalesce(json_extract(recipe, '$.sheet.samples'), 0),
    seconds = json_extract(report, '$.seconds'),
    maps = coalesce((SELECT json_group_array(key) FROM json_each(runs.report, '$.maps')
        WHERE json_extract(value, '$.error') IS NULL), '[]'),
    failed_maps = coalesce((SELECT count(*) FROM json_each(runs.report, '$.maps')
        WHERE json_extract(value, '$.error') IS NOT NULL), 0),
    findings = coalesce((SELECT count(*) FROM json_each(runs.report, '$.findings')
        WHERE json_extract(value, '$.severity') <> 'note'), 0),
    bytes = coalesce((SELECT sum(bytes) FROM run_files WHERE run = runs.id AND file <> ''), 0)
WHERE json_valid(recipe) AND (report IS NULL OR json_valid(report));
UPDATE runs SET status = 'partial' WHERE status = 'done' AND failed_maps > 0;

CREATE INDEX run_files_by_hash ON run_files (hash);
CREATE INDEX runs_by_status ON runs (status);

-- Numbers that were given out: those of deleted assets and runs are not given again, so that nothing old is taken for something new.
CREATE TABLE counters (
    name TEXT PRIMARY KEY,
    last INTEGER NOT NULL
) STRICT;
INSERT INTO counters (name, last) SELECT 'assets', coalesce(max(id), 0) FROM assets;
INSERT INTO counters (name, last) SELECT 'runs', coalesce(max(id), 0) FROM runs;
INSERT INTO counters (name, last) SELECT 'run/' || asset, max(number) FROM runs GROUP BY asset;
