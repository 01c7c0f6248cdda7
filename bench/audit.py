"""How often the decode audit is right, on pictures whose truth is known: the table of docs/decode-audit.md."""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests" / "files"))

from labelled import RATES, make

from durvan.files.audit import judge


def main() -> None:
    """Judge every labelled picture and count."""
    with tempfile.TemporaryDirectory() as name:
        pictures = list(make(Path(name)))
        began = time.perf_counter()
        judged = [(one, judge(str(one.file))) for one in pictures]
        each = 1000 * (time.perf_counter() - began) / len(pictures)
        print(f"{len(pictures)} labelled pictures, {each:.0f} ms each\n")
        print(f"| {'verdict':22} | {'missed':>9} | {'said falsely':>12} | which were missed |\n|---|---|---|---|")
        for title, (truth, said, among, _, _) in RATES.items():
            chosen = [(one, verdict) for one, verdict in judged if among(one)]
            missed = [one for one, verdict in chosen if truth(one) and not said(verdict)]
            false = [one for one, verdict in chosen if not truth(one) and said(verdict)]
            true = sum(1 for one, _ in chosen if truth(one))
            kinds = ", ".join(sorted({one.hard or "plain" for one in missed}))
            print(
                f"| {title:22} | {f'{len(missed)} of {true}':>9} | {f'{len(false)} of {len(chosen) - true}':>12} | {kinds} |"
            )
        hidden = [verdict.linear for one, verdict in judged if one.hard == "linear from more than 8 bits"]
        print(
            f"\nlinear from more than 8 bits: {sum(hidden)} of {len(hidden)} are seen, as nothing in their values tells"
        )


if __name__ == "__main__":
    main()
