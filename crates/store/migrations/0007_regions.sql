-- Runs that bake only part of their sheets, in words; null for all others.
ALTER TABLE runs ADD COLUMN region TEXT;
