"""Sheets: rows of cells that have neither identities nor versions, and often no header."""
