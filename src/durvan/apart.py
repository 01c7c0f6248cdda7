"""A process of our own beside this one: a module that is run by its name, and messages to and from it.

All that is started is started by `command` and `surroundings`, so that nothing is run that lies where a person happens to work: a folder of
somebody's scene may hold a file that is called as a module is.
"""

from __future__ import annotations

import os
import subprocess
import sys
from contextlib import suppress
from dataclasses import dataclass
from multiprocessing.connection import Connection
from pathlib import Path

_MISLEADING = ("PYTHONSTARTUP", "PYTHONINSPECT", "PYTHONBREAKPOINT", "PYTHONSAFEPATH")


def command(module: str, *words: str) -> list[str]:
    """What starts a module in a process of its own: `-P` leaves the current folder out of where modules are looked for."""
    return [sys.executable, "-P", "-m", module, *words]


def surroundings(**more: str) -> dict[str, str]:
    """The environment of such a process: this one's, without what would have it look for modules by a relative path or run something else first."""
    kept = {name: value for name, value in os.environ.items() if name not in _MISLEADING}
    places = [place for place in kept.pop("PYTHONPATH", "").split(os.pathsep) if Path(place).is_absolute()]
    if places:
        kept["PYTHONPATH"] = os.pathsep.join(places)
    return {**kept, **more}


@dataclass
class Apart:
    """The asking end. Sending and receiving may wait, and raise OSError or EOFError when the other side is gone."""

    process: subprocess.Popen[bytes]
    send: Connection
    receive: Connection

    @classmethod
    def start(cls, module: str) -> Apart:
        """Start a process that runs a module, which serves by `ends`. Raises OSError."""
        process = subprocess.Popen(command(module), env=surroundings(), stdin=subprocess.PIPE, stdout=subprocess.PIPE)
        assert process.stdin is not None
        assert process.stdout is not None
        send = Connection(os.dup(process.stdin.fileno()), readable=False)
        receive = Connection(os.dup(process.stdout.fileno()), writable=False)
        process.stdin.close()
        process.stdout.close()
        return cls(process, send, receive)

    def end(self) -> None:
        """End the process; whoever waits for it is told that it is gone."""
        self.process.kill()
        with suppress(subprocess.TimeoutExpired):
            self.process.wait(5.0)

    def close(self) -> None:
        """Let go of both ends, after nobody waits at them any more."""
        for end in (self.send, self.receive):
            with suppress(OSError):
                end.close()


def ends() -> tuple[Connection, Connection]:
    """The serving end: what questions come by, and what answers go by. Whatever a library prints goes to standard error."""
    source = Connection(os.dup(sys.stdin.fileno()), writable=False)
    sink = Connection(os.dup(sys.stdout.fileno()), readable=False)
    os.dup2(sys.stderr.fileno(), sys.stdout.fileno())
    return source, sink
