-- How many runs an asset has, the bytes of their maps and the newest of a kind, without reading a recipe or a report.
CREATE INDEX runs_in_brief ON runs (asset, kind, status, number, bytes);
