-- Who listens to no container in particular is told of all that are shared with its access.
ALTER TABLE subscription MODIFY container_id BIGINT;
