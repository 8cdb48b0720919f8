-- Runs that are baked on a cluster: its name, the folder of the job and the numbers it has in the queue, as JSON; null for all others.
ALTER TABLE runs ADD COLUMN cluster TEXT;
