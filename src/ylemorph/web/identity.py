"""Who asks: sign-in by cookie where Ylemorph serves a network, and nobody in particular on this machine alone."""

import secrets

from flask import Flask, Response, current_app, g, request
from limits import RateLimitItemPerHour, RateLimitItemPerMinute
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter

from ..core.errors import YlemorphError
from ..store import people
from ..store.people import Session
from .db import connection
from .problems import answer, problem_data
from .rights import READS, may, needed_role

COOKIE, TOKEN_HEADER = "ylemorph_session", "X-Ylemorph-Token"  # names, not secrets
# Wrong attempts, by name and by address, before the next one has to wait.
BY_NAME, BY_ADDRESS = RateLimitItemPerMinute(5), RateLimitItemPerHour(60)
BY_CODE = RateLimitItemPerMinute(30)


class TooOften(YlemorphError):
    """Too many wrong attempts."""


class NotSignedIn(YlemorphError):
    """Nobody is signed in, or the session ended."""


class Attempts:
    """Counts wrong attempts; right ones cost nothing."""

    def __init__(self) -> None:
        self._limiter = MovingWindowRateLimiter(MemoryStorage())

    def check(self, name: str) -> None:
        """Raises TooOften."""
        free = self._limiter.test(BY_NAME, "name", name.casefold()) and self._limiter.test(
            BY_ADDRESS, "address", request.remote_addr or ""
        )
        if not free:
            raise TooOften("too many wrong attempts", mend="wait a minute, then try again")

    def wrong(self, name: str) -> None:
        self._limiter.hit(BY_NAME, "name", name.casefold())
        self._limiter.hit(BY_ADDRESS, "address", request.remote_addr or "")

    def check_code(self) -> None:
        """Codes of the collecting script that are tried from one address. Raises TooOften."""
        if not self._limiter.test(BY_CODE, "code", request.remote_addr or ""):
            raise TooOften("too many wrong codes", mend="wait a minute, then try again")

    def wrong_code(self) -> None:
        self._limiter.hit(BY_CODE, "code", request.remote_addr or "")


def register(app: Flask, *, network: bool) -> None:
    """With ``network`` every request must come from somebody who may make it (`rights`)."""
    app.config["NETWORK"] = network
    app.config["ATTEMPTS"] = Attempts()

    @app.before_request
    def _check() -> Response | None:
        if not network:
            return None
        needed = needed_role(request.method, request.path)
        if needed is None:
            return None
        session = current_session()
        if session is None:
            return answer(problem_data(NotSignedIn("you are not signed in", mend="sign in"), 401))
        if not may(session.person.role, needed):
            wrong = YlemorphError(
                f"this needs the role {needed}, yours is {session.person.role}", mend="ask somebody of the workshop"
            )
            return answer(problem_data(wrong, 403))
        return None if has_token(session) else _without_token()

    @app.errorhandler(TooOften)
    def _too_often(error: TooOften) -> Response:
        response = answer(problem_data(error, 429))
        response.headers["Retry-After"] = "60"
        return response


def has_token(session: Session) -> bool:
    """Writes carry the session's token: another site can send the cookie along at the most, not read the token."""
    sent = request.headers.get(TOKEN_HEADER, "")
    return request.method in READS or secrets.compare_digest(sent.encode(), session.token.encode())


def _without_token() -> Response:
    wrong = YlemorphError("the request does not carry the token of this session", mend="load the page again")
    return answer(problem_data(wrong, 403))


def current_session() -> Session | None:
    """Whose browser asks; None on a server without sign-in."""
    if not current_app.config["NETWORK"]:
        return None
    if "session" not in g:
        secret = request.cookies.get(COOKIE, "")
        g.session = people.session_of(connection(), secret) if secret else None
    found: Session | None = g.session
    return found


def made_by() -> str:
    """Who makes a change, for the history: the person, or the window where nobody signs in."""
    session = current_session()
    return session.person.name if session is not None else window()


def window() -> str:
    return request.headers.get("X-Window", "")[:40]


def set_cookie(response: Response, secret: str) -> Response:
    response.set_cookie(
        COOKIE, secret, max_age=people.MOST_SECONDS, httponly=True, samesite="Strict", secure=request.is_secure
    )
    return response


def clear_cookie(response: Response) -> Response:
    response.delete_cookie(COOKIE, httponly=True, samesite="Strict", secure=request.is_secure)
    return response
