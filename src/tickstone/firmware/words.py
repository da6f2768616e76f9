"""Words of a person in a program: they stay inside their comment, and show nothing that is not there."""

from __future__ import annotations

import re
import unicodedata

# control characters, marks of direction and the like, separators of lines: what moves other text or hides
HIDDEN = {"Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp"}


def one_line(text: str) -> str:
    """Text as it may stand in a comment of any of the languages.

    >>> one_line("Fern \\u202e of\\nthe */ greenhouse\\\\")
    'Fern of the * / greenhouse/'
    """
    shown = "".join(" " if unicodedata.category(sign) in HIDDEN else sign for sign in text)
    return re.sub(r"\s+", " ", shown).strip().replace("*/", "* /").replace("\\", "/")
