"""Account names that look alike.

Two names that a person cannot tell apart on a screen have the same skeleton. The method is that of Unicode Technical
Standard 39 (confusable detection): decompose, map each character to the one that it looks like, compare. The table
holds the letters of the Cyrillic, Greek and Armenian scripts that look like Latin ones, and the Latin letters and
digits that look like each other in common fonts; Unicode's own table is far larger.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable

MAX_NAME_LENGTH = 60
"""Characters."""
_PUNCTUATION = "._-@+"

_LOOKS_LIKE = {
    # Cyrillic
    "а": "a", "в": "b", "с": "c", "ԁ": "d", "е": "e", "ё": "e", "һ": "h", "н": "h", "і": "i", "ї": "i", "ј": "j",
    "к": "k", "ӏ": "l", "м": "m", "п": "n", "о": "o", "р": "p", "ԛ": "q", "г": "r", "ѕ": "s", "т": "t", "ц": "u",
    "ѵ": "v", "ԝ": "w", "х": "x", "у": "y", "ү": "y", "з": "3",
    # Greek
    "α": "a", "β": "b", "ϲ": "c", "ε": "e", "η": "n", "ι": "i", "κ": "k", "ν": "v", "ο": "o", "ρ": "p", "τ": "t",
    "υ": "u", "χ": "x", "γ": "y", "ω": "w", "μ": "u", "ζ": "z",
    # Armenian
    "օ": "o", "ս": "u", "հ": "h", "ո": "n", "զ": "q", "յ": "j", "ց": "g",
    # Latin letters beside ASCII
    "ı": "i", "ɩ": "i", "ɑ": "a", "ɡ": "g", "ʟ": "l", "ɴ": "n", "ø": "o", "ł": "l", "đ": "d", "ß": "b", "þ": "p",
    "æ": "ae", "œ": "oe",
    # ASCII among itself
    "0": "o", "1": "l", "i": "l", "|": "l", "5": "s",
}  # fmt: skip
_PAIRS = (("rn", "m"), ("vv", "w"), ("cl", "d"))


def skeleton(name: str) -> str:
    """What a name looks like: names with equal skeletons look the same."""
    folded = unicodedata.normalize("NFKD", name).casefold()
    bare = (one for one in unicodedata.normalize("NFKD", folded) if unicodedata.category(one) not in ("Mn", "Me", "Cf"))
    # Twice: the look-alike of a letter may have a look-alike itself, as Cyrillic і has i, and i has l.
    mapped = "".join(_LOOKS_LIKE.get(one, one) for one in bare)
    mapped = "".join(_LOOKS_LIKE.get(one, one) for one in mapped)
    mapped = "".join(one for one in mapped if one.isalnum())
    for pair, single in _PAIRS:
        mapped = mapped.replace(pair, single)
    return mapped


def similar_name(name: str, others: Iterable[str]) -> str | None:
    """The first of ``others`` that ``name`` could be taken for; an equal name counts."""
    wanted = skeleton(name)
    return next((other for other in others if skeleton(other) == wanted), None)


def name_trouble(name: str) -> str:
    """Why this cannot be the name of an account, as a sentence; "" if it can."""
    if not name:
        return "Enter a name."
    if len(name) > MAX_NAME_LENGTH:
        return f"A name has at most {MAX_NAME_LENGTH} characters."
    wrong = next((one for one in name if not (one.isalnum() or one in _PUNCTUATION)), None)
    if wrong is not None:
        what = "spaces" if wrong.isspace() else f"{wrong!r}"
        return f"A name has letters, digits and {' '.join(_PUNCTUATION)}, but no {what}."
    if not skeleton(name):
        return "A name has at least one letter or digit."
    scripts = {_script(one) for one in name if one.isalpha()}
    if len(scripts) > 1:
        return f"The name mixes letters of {' and '.join(sorted(scripts))}. Use one alphabet."
    return ""


def _script(letter: str) -> str:
    """The first word of a letter's Unicode name: LATIN, CYRILLIC, …"""
    return unicodedata.name(letter, "UNKNOWN").split()[0].capitalize()
