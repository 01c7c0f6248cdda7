"""`make fuzz`: spoilt stages, networks, crossings, packs, pictures and names, as many as are asked for, none of which may
end in a traceback, a death or a hang. `python fuzz/run.py [how many] [first seed] [seconds at most]`.

Each find is told with its seed and kind; `python fuzz/run.py 1 SEED` does it again. A find becomes a test.
"""

from __future__ import annotations

import collections
import json
import os
import re
import select
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

HERE = Path(__file__).parent
PATIENCE = 30.0  # seconds that one input may take
WORKERS = os.cpu_count() or 1


class Worker:
    """A process that tries inputs; one that hangs is killed, one that died is told, and both are replaced."""

    def __init__(self) -> None:
        self.start()

    def start(self) -> None:
        environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
        self.errors = tempfile.TemporaryFile()  # noqa: SIM115 - it lives as long as the process
        self.process = subprocess.Popen(
            [sys.executable, str(HERE / "worker.py")], stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=self.errors,
            env=environment,
        )  # fmt: skip
        if self._line(600.0) != b"ready\n":
            self.errors.seek(0)
            raise SystemExit(f"the worker does not start: {self.errors.read()[-1500:].decode('utf-8', 'replace')}")

    def _line(self, seconds: float) -> bytes | None:
        """A line that it says; empty when it died, None when it says nothing."""
        assert self.process.stdout is not None
        ready, _, _ = select.select([self.process.stdout], [], [], seconds)
        return self.process.stdout.readline() if ready else None

    def try_one(self, seed: int) -> dict[str, object]:
        assert self.process.stdin is not None
        self.process.stdin.write(f"{seed}\n".encode())
        self.process.stdin.flush()
        line = self._line(PATIENCE)
        if line:
            found: dict[str, object] = json.loads(line)
            return found
        self.process.kill()
        code = self.process.wait()
        self.errors.seek(0)
        said = self.errors.read()[-1500:].decode("utf-8", "replace")
        self.start()
        how = "hangs" if line is None else f"dies ({code})"
        return {"seed": seed, "kind": "?", "well": False, "what": f"{how}\n{said}"}


def main() -> None:
    """Try, and tell."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 20_000
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 0
    seconds = float(sys.argv[3]) if len(sys.argv) > 3 else 3600.0
    until = time.monotonic() + seconds
    waiting = iter(range(first, first + count))
    lock = threading.Lock()
    kinds: collections.Counter[str] = collections.Counter()
    finds: dict[str, list[dict[str, object]]] = {}

    def work() -> None:
        worker = Worker()
        while time.monotonic() < until:
            with lock:
                seed = next(waiting, None)
            if seed is None:
                break
            found = worker.try_one(seed)
            with lock:
                kinds[str(found["kind"])] += 1
                if not found["well"]:
                    what = str(found["what"]).strip()
                    key = re.sub(r"\d+|'.{0,4}'", "#", "\n".join(what.splitlines()[-3:]))[-300:]
                    finds.setdefault(key, []).append(found)
                    if len(finds[key]) == 1:
                        print(f"seed {seed} ({found['kind']}):\n{what}\n", flush=True)
        worker.process.kill()

    threads = [threading.Thread(target=work) for _ in range(min(WORKERS, count))]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    tried = sum(kinds.values())
    print(f"{tried} inputs ({', '.join(f'{number} {kind}' for kind, number in sorted(kinds.items()))})")
    for key, several in sorted(finds.items(), key=lambda item: -len(item[1])):
        print(f"{len(several):5}  {key.splitlines()[-1][:160]}   seeds {[one['seed'] for one in several[:5]]}")
    print(f"{sum(map(len, finds.values()))} finds")
    sys.exit(1 if finds else 0)


if __name__ == "__main__":
    main()
