"""The consent window: OAuth 2.0 authorization code with PKCE (RFC 6749, RFC 7636), by Authlib.

Kelvix is a public client: it has no secret, the code verifier proves that it is the one who asked. What it is given can be
renewed before it ends (RFC 6749, 6).
"""

from __future__ import annotations

import json
import secrets
from collections.abc import Mapping
from typing import Any
from urllib.parse import parse_qsl, urlsplit

from authlib.oauth2.rfc6749 import AuthorizationServer, OAuth2Error, OAuth2Request, grants
from authlib.oauth2.rfc6749.models import AuthorizationCodeMixin, ClientMixin
from authlib.oauth2.rfc6749.requests import BasicOAuth2Payload
from authlib.oauth2.rfc6750 import BearerTokenGenerator
from authlib.oauth2.rfc7636 import CodeChallenge
from starlette.responses import JSONResponse, RedirectResponse, Response

from kelvix.practice.store import Store
from kelvix.store.database_server import Row

CLIENT = "kelvix"


class Client(ClientMixin):  # type: ignore[misc]
    """Kelvix, as the practice apps know it: its answers go to one address only."""

    def __init__(self, redirect_uri: str, apps: tuple[str, ...]):
        self.redirect_uri, self.apps = redirect_uri, apps

    def get_client_id(self) -> str:
        return CLIENT

    def get_default_redirect_uri(self) -> str:
        return self.redirect_uri

    def get_allowed_scope(self, scope: str) -> str:
        return scope if scope in self.apps else ""

    def check_redirect_uri(self, redirect_uri: str) -> bool:
        return redirect_uri == self.redirect_uri

    def check_client_secret(self, client_secret: str) -> bool:
        return False

    def check_endpoint_auth_method(self, method: str, endpoint: str) -> bool:
        return method == "none"

    def check_response_type(self, response_type: str) -> bool:
        return response_type == "code"

    def check_grant_type(self, grant_type: str) -> bool:
        return grant_type in ("authorization_code", "refresh_token")


class Code(AuthorizationCodeMixin):  # type: ignore[misc]
    def __init__(self, code: str, content: dict[str, Any]):
        self.code, self.content = code, content
        self.code_challenge = content["code_challenge"]
        self.code_challenge_method = content["code_challenge_method"]

    def get_redirect_uri(self) -> str:
        return str(self.content["redirect_uri"])

    def get_scope(self) -> str:
        return str(self.content["app"])


class FormRequest(OAuth2Request):  # type: ignore[misc]
    """A request as Authlib wants it: the query and the form, already read."""

    def __init__(self, method: str, url: str, form: dict[str, str], headers: dict[str, str]):
        super().__init__(method, url, headers=headers)
        self._query, self._form = dict(parse_qsl(urlsplit(url).query)), form
        self.payload = BasicOAuth2Payload({**self._query, **form})

    @property
    def args(self) -> dict[str, str]:
        return self._query

    @property
    def form(self) -> dict[str, str]:
        return self._form


class CodeGrant(grants.AuthorizationCodeGrant):  # type: ignore[misc]
    TOKEN_ENDPOINT_AUTH_METHODS = ["none"]

    @property
    def store(self) -> Store:
        return self.server.store  # type: ignore[no-any-return]

    def save_authorization_code(self, code: str, request: FormRequest) -> None:
        self.store.keep_code(
            code,
            {
                "app": request.payload.scope,
                "redirect_uri": request.payload.redirect_uri,
                "account": request.user["id"],
                "shared": request.user["shared"],
                "may_send": request.user["may_send"],
                "code_challenge": request.payload.data.get("code_challenge"),
                "code_challenge_method": request.payload.data.get("code_challenge_method"),
            },
        )

    def query_authorization_code(self, code: str, client: Client) -> Code | None:
        content = self.store.code(code)
        return Code(code, content) if content else None

    def delete_authorization_code(self, authorization_code: Code) -> None:
        self.store.use_code(authorization_code.code)

    def authenticate_user(self, authorization_code: Code) -> dict[str, Any]:
        kept = authorization_code.content
        return {"id": kept["account"], "shared": kept["shared"], "may_send": kept["may_send"]}


class Refresh:
    """What renews a token, as Authlib asks about it."""

    def __init__(self, row: Row):
        self.row = row

    def check_client(self, client: Client) -> bool:
        return bool(client.get_client_id() == self.row["client"])

    def get_scope(self) -> str:
        return str(self.row["app"])


class RefreshGrant(grants.RefreshTokenGrant):  # type: ignore[misc]
    """Renewal of access (RFC 6749, 6). What renews it stays the same."""

    TOKEN_ENDPOINT_AUTH_METHODS = ["none"]

    def authenticate_refresh_token(self, refresh_token: str) -> Refresh | None:
        row = self.server.store.by_refresh(refresh_token)
        return Refresh(row) if row else None

    def authenticate_user(self, refresh_token: Refresh) -> dict[str, Any]:
        row = refresh_token.row
        shared, may_send = json.loads(row["shared"]), bool(row["may_send"])
        return {"id": row["account_id"], "shared": shared, "may_send": may_send, "grant": row["grant_digest"]}

    def revoke_old_credential(self, refresh_token: Refresh) -> None:
        return None  # the token before is good until it ends


class Tokens(BearerTokenGenerator):  # type: ignore[misc]
    """`seconds`: for how long a token of each app is good."""

    def __init__(self, seconds: Mapping[str, int]):
        super().__init__(lambda **_: secrets.token_urlsafe(32), lambda **_: secrets.token_urlsafe(32))
        self.seconds = seconds

    def generate(
        self,
        grant_type: str,
        client: Client,
        user: Any = None,
        scope: str | None = None,
        expires_in: int | None = None,
        include_refresh_token: bool = True,
    ) -> Any:
        """Return a token of the app that the scope names."""
        return super().generate(grant_type, client, user, scope, self.seconds[scope or ""], include_refresh_token)


class ConsentServer(AuthorizationServer):  # type: ignore[misc]
    def __init__(self, store: Store, redirect_uri: str, seconds: Mapping[str, int]):
        super().__init__(scopes_supported=list(seconds))
        self.store, self.client = store, Client(redirect_uri, tuple(seconds))
        self.register_token_generator("default", Tokens(seconds))
        self.register_grant(CodeGrant, [CodeChallenge(required=True)])
        self.register_grant(RefreshGrant)

    def query_client(self, client_id: str) -> Client | None:
        return self.client if client_id == CLIENT else None

    def save_token(self, token: dict[str, Any], request: FormRequest) -> None:
        who = request.user
        self.store.new_token(
            token["access_token"],
            token["scope"],
            who["id"],
            CLIENT,
            who["shared"],
            who["may_send"],
            token["expires_in"] / 86_400,
            refresh=token.get("refresh_token"),
            grant=who.get("grant"),
        )

    def create_oauth2_request(self, request: FormRequest) -> FormRequest:
        return request

    def handle_response(self, status: int, body: Any, headers: list[tuple[str, str]]) -> Response:
        if location := dict(headers).get("Location"):
            return RedirectResponse(location, status)
        return JSONResponse(body or {}, status, dict(headers))

    def send_signal(self, name: str, *args: Any, **kwargs: Any) -> None:
        return None


__all__ = ["ConsentServer", "FormRequest", "OAuth2Error"]
