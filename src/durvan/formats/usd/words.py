"""What the library says, as a short sentence: its texts may hold bytes that are none of any encoding, and be endless."""

from __future__ import annotations

import re

from durvan.foreign import text_of

_KEPT = 400
_WHERE = re.compile(r"Error in '[^']{0,300}' at line \d+ in file [^:\n]{0,300}: ?")


def said(problem: object, most: int = _KEPT) -> str:
    """What went wrong, in one line."""
    text = " ".join(text_of(lambda: str(problem)).split())
    return _WHERE.sub("", text).strip("' :")[:most]
