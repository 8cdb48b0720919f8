-- What a person says of a run, and what it is found by: its name, its star, the revision of the asset that it was made from, and the
-- kinds of its findings.
ALTER TABLE runs ADD COLUMN name TEXT NOT NULL DEFAULT '';
ALTER TABLE runs ADD COLUMN starred INTEGER NOT NULL DEFAULT 0;
ALTER TABLE runs ADD COLUMN revision INTEGER;
ALTER TABLE runs ADD COLUMN found TEXT NOT NULL DEFAULT '[]';
UPDATE runs SET found = coalesce(
    (SELECT json_group_array(DISTINCT json_extract(value, '$.kind')) FROM json_each(runs.report, '$.findings')
     WHERE json_extract(value, '$.kind') IS NOT NULL), '[]')
WHERE json_valid(report);
