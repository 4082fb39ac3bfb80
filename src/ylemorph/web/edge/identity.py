"""Who asks: sign-in by cookie where Ylemorph serves a network, and nobody in particular on this machine alone."""

import secrets

from flask import Flask, Response, abort, g, request

from ...core.errors import YlemorphError
from ...usecases import people
from ...usecases.people import Person, Session, SignedIn
from .attempts import TooOften
from .limits import SMALL_BODY
from .log import note
from .problems import answer, problem_data
from .rights import READS, may, needed_role
from .services import connection, services

COOKIE, DEVICE, TOKEN_HEADER = "ylemorph_session", "ylemorph_device", "X-Ylemorph-Token"  # names, not secrets
HOST_ONLY = "__Host-"  # before a cookie's name: the browser takes it from this host alone, encrypted (RFC 6265bis)
DEVICE_SECONDS = 400 * 86_400  # as long as browsers keep a cookie at all


class NotSignedIn(YlemorphError):
    """Nobody is signed in, or the session ended."""


def register(app: Flask, *, network: bool) -> None:
    """With ``network`` every request must come from somebody who may make it (`rights`)."""

    @app.before_request
    def _check() -> Response | None:
        if not network:
            return None
        needed = needed_role(request.method, request.path)
        if needed is None:
            return None
        session = current_session()
        if session is None:
            if (request.content_length or 0) > SMALL_BODY:
                abort(413)
            return answer(problem_data(NotSignedIn("you are not signed in", mend="sign in"), 401))
        if not may(session.person.role, needed):
            note("refused", session.person, needs=needed)
            wrong = YlemorphError(
                f"this needs the role {needed}, yours is {session.person.role}", mend="ask somebody of the workshop"
            )
            return answer(problem_data(wrong, 403))
        return None if has_token(session) else _without_token()

    @app.errorhandler(NotSignedIn)
    def _not_signed_in(error: NotSignedIn) -> Response:
        return answer(problem_data(error, 401))

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
    if not services().network:
        return None
    if "session" not in g:
        secret = cookie(COOKIE)
        g.session = people.session_of(connection(), secret) if secret else None
    found: Session | None = g.session
    return found


def asker() -> Person | None:
    """Who asks, where people sign in."""
    session = current_session()
    return session.person if session else None


def made_by() -> str:
    """Who makes a change, for the history: the person, or the window where nobody signs in."""
    session = current_session()
    return session.person.name if session is not None else window()


def window() -> str:
    return request.headers.get("X-Window", "")[:40]


def cookie(name: str) -> str:
    """The value of one of our cookies; under TLS only of one that this host set itself."""
    return request.cookies.get(_own(name), "")


def _own(name: str) -> str:
    return f"{HOST_ONLY}{name}" if request.is_secure else name


def set_cookies(response: Response, made: SignedIn) -> Response:
    """The session's cookie, and the long one by which this browser is known again."""
    for name, secret, seconds in (
        (COOKIE, made.secret, people.MOST_SECONDS),
        (DEVICE, made.device, DEVICE_SECONDS),
    ):
        response.set_cookie(
            _own(name), secret, max_age=seconds, httponly=True, samesite="Strict", secure=request.is_secure
        )
    return response


def clear_cookie(response: Response) -> Response:
    response.delete_cookie(_own(COOKIE), httponly=True, samesite="Strict", secure=request.is_secure)
    return response
