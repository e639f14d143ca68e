"""Whether something broke because the database went away, and what is said then."""

from django.db import InterfaceError, OperationalError

AWAY = "The database is away for a moment. Try again; what was kept is kept, and nothing is kept twice."
_GOING, _GONE = {"57P01", "57P02", "57P03"}, "08"
"""It is being stopped, broke down, or is just starting; and all that PostgreSQL calls a lost connection."""
_NO_LINE_FREE = "53300"


def tells_of_lost_database(error: BaseException) -> bool:
    """Whether it was not there, or had no line free: not that it refused what was asked."""
    if isinstance(error, InterfaceError):
        return True
    if not isinstance(error, OperationalError):
        return False
    state = getattr(error.__cause__, "sqlstate", None)
    # Where no connection came about, or it broke off, there was nobody to give a state.
    return state is None or state in _GOING or state == _NO_LINE_FREE or state.startswith(_GONE)
