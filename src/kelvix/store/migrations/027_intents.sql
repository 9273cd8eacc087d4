-- What runs write outside: kept before it goes out, and until it is known what became of it (core/intents.py). `slot` tells
-- several writes of one line apart.
CREATE TABLE intent (
  workspace_id BIGINT NOT NULL,
  run_id BIGINT NOT NULL,
  line_id VARCHAR(20) NOT NULL,
  place VARCHAR(40) NOT NULL DEFAULT '',
  slot VARCHAR(64) NOT NULL DEFAULT '',
  idempotency_key VARCHAR(300) NOT NULL,
  payload MEDIUMTEXT NOT NULL,
  state VARCHAR(8) NOT NULL,
  attempt INT NOT NULL,
  outcome MEDIUMTEXT,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3) ON UPDATE CURRENT_TIMESTAMP(3),
  PRIMARY KEY (run_id, line_id, place, slot)
);

-- Web requests had it in what was recorded of their line.
INSERT INTO intent (workspace_id, run_id, line_id, place, idempotency_key, payload, state, attempt)
  SELECT workspace_id, run_id, line_id, place,
    CONCAT('kelvix-', workspace_id, '-', run_id, '-', line_id, '-', place),
    JSON_OBJECT('method', JSON_VALUE(output, '$.method'), 'address', JSON_VALUE(output, '$.address'),
      'headers', JSON_EXTRACT(output, '$.headers'), 'secrets', JSON_EXTRACT(output, '$.secrets'),
      'body', JSON_VALUE(output, '$.body')),
    ELT(FIELD(outcome, 'sending', 'to_send', 'in_doubt'), 'open', 'unsent', 'doubt'),
    JSON_VALUE(output, '$.attempt')
  FROM run_line WHERE outcome IN ('sending', 'to_send', 'in_doubt') AND JSON_VALID(output);

-- What the runs until now may have sent without knowing, they sent under keys made of their places.
INSERT INTO counter (workspace_id, name, n) SELECT workspace_id, 'keyed by place', MAX(id) FROM run GROUP BY workspace_id;
