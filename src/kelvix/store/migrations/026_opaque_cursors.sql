-- A cursor is what the app gave, and only handed back to it.
ALTER TABLE watch MODIFY cursor_from VARCHAR(500) NOT NULL, MODIFY cursor_at VARCHAR(500) NOT NULL;
