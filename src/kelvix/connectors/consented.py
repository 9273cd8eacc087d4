"""Apps that are reached through a consent window of their own (OAuth 2.0 with PKCE: RFC 6749, RFC 7636)."""

from __future__ import annotations

from typing import Any

from authlib.oauth2.rfc6749.parameters import prepare_grant_uri
from authlib.oauth2.rfc7636 import create_s256_code_challenge

from kelvix.connectors.contract import Grant
from kelvix.connectors.listed import ListedApp
from kelvix.core.collection import PermanentError
from kelvix.core.values import shorten

CLIENT = "kelvix"  # the name by which apps know us


class ConsentedApp(ListedApp):
    """An app at an address, with a consent window."""

    def consent_address(self, redirect: str, state: str, verifier: str, already: tuple[str, ...], send: bool) -> str:
        url: str = prepare_grant_uri(
            f"{self.address}/oauth/authorize",
            CLIENT,
            "code",
            redirect_uri=redirect,
            scope=self.service,
            state=state,
            code_challenge=create_s256_code_challenge(verifier),
            code_challenge_method="S256",
            already=",".join(already),
            send=str(int(send)),
        )
        return url

    def exchange(self, redirect: str, code: str, verifier: str) -> Grant:
        answer = self.caller.form(
            "/oauth/token",
            grant_type="authorization_code",
            client_id=CLIENT,
            redirect_uri=redirect,
            code=code,
            code_verifier=verifier,
        )
        return self._grant(answer)

    def renew(self, refresh: str) -> Grant:
        return self._grant(
            self.caller.form("/oauth/token", grant_type="refresh_token", client_id=CLIENT, refresh_token=refresh)
        )

    def _grant(self, answer: Any) -> Grant:
        if not isinstance(answer, dict) or not isinstance(answer.get("access_token"), str):
            said = answer.get("error_description") or answer.get("error") if isinstance(answer, dict) else None
            raise PermanentError(f"{self.name} did not give access: {shorten(str(said or 'no reason given'), 200)}", "access")
        return Grant(answer["access_token"], answer.get("expires_in"), answer.get("refresh_token"))
