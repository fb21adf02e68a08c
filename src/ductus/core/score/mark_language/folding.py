"""How words are compared: without regard to capitals, accents, dots and the way in which umlauts are typed."""

from __future__ import annotations

import unicodedata
from functools import lru_cache

TYPED = str.maketrans({"ä": "ae", "ö": "oe", "ü": "ue", "Ä": "Ae", "Ö": "Oe", "Ü": "Ue"})
QUOTES = str.maketrans({"’": "'", "‘": "'", "`": "'"})


@lru_cache(maxsize=8192)
def fold(text: str) -> str:
    """A text as it is compared: small letters without accents.

    >>> fold("Très Vif"), fold("Mäßig"), fold("l’istesso")
    ('tres vif', 'massig', "l'istesso")
    """
    apart = unicodedata.normalize("NFKD", text.translate(QUOTES).casefold())
    return "".join(c for c in apart if not unicodedata.combining(c))


def ways(text: str) -> tuple[str, ...]:
    """The ways in which a word may be typed, folded: "mäßig" also as "maessig".

    >>> ways("Mäßig"), ways("dolce")
    (('massig', 'maessig'), ('dolce',))
    """
    return tuple(dict.fromkeys((fold(text), fold(text.translate(TYPED)))))
