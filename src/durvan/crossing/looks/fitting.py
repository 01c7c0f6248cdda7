"""The work behind the request to fit: from pairs to the change that puts fits in. The same with and without a window."""

from __future__ import annotations

from collections.abc import Sequence

from durvan.crossing.document.changes import PutFits
from durvan.crossing.looks.appearance import Appearance, Stop, never
from durvan.crossing.looks.keys import look_key
from durvan.crossing.looks.pairs import Pair
from durvan.crossing.looks.questions import Fitted
from durvan.crossing.translation.choices import Note


def fit_all(appearance: Appearance, pairs: Sequence[Pair], stop: Stop = never) -> Fitted | None:
    """Fit each; None when stopped."""
    notes: list[Note] = []
    drifts, before = {}, {}
    for pair in pairs:
        better = appearance.improve(pair.thing, pair.translation, stop)
        if stop():
            return None
        if better is not None:
            notes.extend(better.notes)
            drifts[look_key(pair.thing, better.fitted, pair.files)] = better.after
            before[pair.thing.id] = better.before
    return Fitted(PutFits(notes=tuple(notes)) if notes else None, drifts, before, len(pairs))
