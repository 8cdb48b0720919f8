-- Runs that wait: their place in the queue (the run's number in the table where it was never moved) and whether they are held. Of a run
-- that a kill cut off: how often that happened since it last finished a tile, and how long its tiles were then, in bytes.
ALTER TABLE runs ADD COLUMN turn INTEGER;
ALTER TABLE runs ADD COLUMN held INTEGER NOT NULL DEFAULT 0;
ALTER TABLE runs ADD COLUMN cut_off INTEGER NOT NULL DEFAULT 0;
ALTER TABLE runs ADD COLUMN landed INTEGER NOT NULL DEFAULT 0;
