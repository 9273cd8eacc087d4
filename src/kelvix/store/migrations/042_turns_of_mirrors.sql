-- Whether a look, or work on a whole mirror, was given its turn to call an app that limits calls, so that it need not ask again.
ALTER TABLE mirror_look ADD COLUMN IF NOT EXISTS has_turn TINYINT NOT NULL DEFAULT 0;
ALTER TABLE mirror ADD COLUMN IF NOT EXISTS stage_has_turn TINYINT NOT NULL DEFAULT 0;
