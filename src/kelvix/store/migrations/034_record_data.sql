-- By whom records were made and changed last. The tables of records get their columns when they are reconciled with this (ddl.py).
UPDATE `database` SET state='adding' WHERE state='ready';
