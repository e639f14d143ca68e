"""Names of accounts: which are none, and which look like one that is taken."""

import unicodedata

# Letters of other scripts that nobody tells from a Latin one, and digits that are read as letters.
_LOOKS = str.maketrans(
    "аеорсхуіѕјԁɡһкмнтвαορνικτυχμηε01",
    "aeopcxyisjdghkmhtbaopviktuxmneol",
)  # fmt: skip
_MARKS = "@.+-_"


def plain_name(name: str) -> str:
    """As it is stored: wide, small and joined forms are what they stand for."""
    return unicodedata.normalize("NFKC", name).strip()


def looks(name: str) -> str:
    """What a name looks like: the same for two that are taken for each other."""
    return unicodedata.normalize("NFKC", name).casefold().translate(_LOOKS)


def trouble_with(name: str) -> str:
    """A sentence where a name cannot be one; else nothing."""
    letters = [c for c in name if c.isalnum()]
    if not letters:
        return "A name has at least one letter or digit."
    if any(not c.isalnum() and c not in _MARKS for c in name):
        return "A name is letters, digits and @ . + - _ without spaces."
    scripts = {unicodedata.name(c, "?").split()[0] for c in letters if c.isalpha()}
    if len(scripts) > 1:
        return "A name is written in one script: letters of several look like each other."
    return ""
