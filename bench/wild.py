"""Made-up files of every format, whole and spoilt, carried to dialects in turn and opened again: how many come through, how many are
refused with a sentence, and what else happens. `python bench/wild.py [FILES OF EACH]`.
"""

from __future__ import annotations

import random
import sys
import tempfile
import time
import traceback
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from durvan.dialects.registry import registry
from durvan.errors import DurvanError
from wild.crossing import ENDINGS, FORMATS, carried, is_told, made, without_row

FILES = int(sys.argv[1]) if len(sys.argv) > 1 else 100


def main() -> None:
    """Carry and print."""
    packs = registry()
    targets = list(packs.packs)
    print(f"{'':16} {'carried':>8} {'refused':>8} {'no row':>8} {'broken':>8} {'slowest':>8}")
    for kind in FORMATS:
        for spoilt in (False, True):
            found: Counter[str] = Counter()
            slowest = 0.0
            for seed in range(FILES):
                r = random.Random(seed)
                target = r.choice(targets)
                with tempfile.TemporaryDirectory() as place:
                    file = made(kind, seed, Path(place), r.randint(1, 5) if spoilt else 0)
                    out = Path(place) / f"out{r.choice(ENDINGS.get(target, ('.usda', '.usdc')))}"
                    start = time.perf_counter()
                    try:
                        session, _ = carried(file, packs, target, out)
                        found["carried"] += 1
                        found["no row"] += bool(without_row(session))
                    except DurvanError as problem:
                        found["refused"] += 1
                        found["broken"] += not is_told(problem)
                        if not spoilt:
                            print(f"  {kind} {seed} to {target}: {problem}"[:200], flush=True)
                    except Exception:  # noqa: BLE001 # whatever it is, it is what is looked for
                        found["broken"] += 1
                        print(f"  {kind} {seed} to {target}:\n{traceback.format_exc(limit=-3)}", flush=True)
                    slowest = max(slowest, time.perf_counter() - start)
            name = f"{kind}, {'spoilt' if spoilt else 'whole'}"
            counts = "".join(f" {found[key]:8}" for key in ("carried", "refused", "no row", "broken"))
            print(f"{name:16}{counts} {slowest:7.1f}s", flush=True)


if __name__ == "__main__":
    main()
