"""Sign in by a token in the Authorization header."""

from django.http import HttpRequest
from ninja.security import HttpBearer

from server.accounts.models import User
from server.config.problems import Problem
from server.tokens.services import allows, known, scope_for


class TokenAuth(HttpBearer):
    """A request with a token is that person's, as far as the token goes; a wrong one is nobody's, even
    where a session would be there too.
    """

    def authenticate(self, request: HttpRequest, token: str) -> User:
        row = known(token)
        if row is None:
            raise Problem(401, "This token is not known, was taken back, or has run out.", "token")
        method = request.method or "GET"
        if not allows(row, method):
            raise Problem(
                403, f"The token “{row.name}” may not do this: it lacks “{scope_for(method)}”.",
                "scope", scope=scope_for(method),
            )  # fmt: skip
        request.user = row.owner
        return row.owner


by_token = TokenAuth()
