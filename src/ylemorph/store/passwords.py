"""Which passwords are taken: long ones that are not guessed."""

from ..core.errors import BadOption

LEAST_PASSWORD, MOST_PASSWORD = 10, 200
MOST_JUDGED = 72  # characters that are looked at for how easily they are guessed; the time grows with their square
LEAST_SCORE = 3  # of zxcvbn's 0 to 4: more than 10^8 guesses, where five a minute may be tried
OURS = ["ylemorph", "workshop", "password", "passwort"]


def check_password(password: str, name: str) -> None:
    """Raises BadOption for a password that is too short, or that somebody would try."""
    if not LEAST_PASSWORD <= len(password) <= MOST_PASSWORD:
        raise BadOption(
            f"a password has {LEAST_PASSWORD} to {MOST_PASSWORD} characters", at="password", mend="a few words will do"
        )
    if name.strip().casefold() in password.casefold() or len(set(password)) < 4 or _is_guessed(password, name):
        raise BadOption("this password is guessed too easily", at="password", mend="take a few words, not the name")


def _is_guessed(password: str, name: str) -> bool:
    """Whether it is one of the usual ones, or made of them as people make them."""
    from zxcvbn import zxcvbn  # its lists of words take a while to load

    found = zxcvbn(password[:MOST_JUDGED], user_inputs=[*OURS, *name.split()], max_length=MOST_JUDGED)
    return int(found["score"]) < LEAST_SCORE
