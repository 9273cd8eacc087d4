"""Secrets at rest: sealed for their row, and never readable in the database."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kelvix.store.secrets import Vault, digest, new_key


@given(st.text())
def test_what_is_sealed_opens_for_its_row_only(secret):
    vault = Vault(new_key())
    sealed = vault.seal(secret, 1, "connection/1")
    assert vault.open(sealed, 1, "connection/1") == secret
    for workspace, row in ((2, "connection/1"), (1, "connection/2")):
        with pytest.raises(ValueError):
            vault.open(sealed, workspace, row)
    with pytest.raises(ValueError):
        Vault(new_key()).open(sealed, 1, "connection/1")
    with pytest.raises(ValueError):
        vault.open(sealed[:-1] + bytes([sealed[-1] ^ 1]), 1, "connection/1")


def test_digests_do_not_run_into_each_other():
    assert digest("ab", "c") != digest("a", "bc") != digest("abc")
    assert digest("A") != digest("a") and len(digest("x")) == 32


def test_tokens_are_nowhere_in_the_database(orla):
    connection = orla.connect("Enquiries")
    token = orla.token(connection)
    assert len(token) > 20
    for row in orla.space.rows("SELECT * FROM connection WHERE workspace_id=%s", (orla.space.id,)):
        assert token.encode() not in row["secret"] and token not in str({k: v for k, v in row.items() if k != "secret"})
    sessions = orla.kelvix.engine.directory.home.read(lambda t: t.rows("SELECT * FROM session"))
    assert orla.web.cookies["kelvix"] not in str(sessions)
