"""A process of our own beside this one, and messages to and from it: a module that is run by its name."""

from __future__ import annotations

import os
import subprocess
import sys
from contextlib import suppress
from dataclasses import dataclass
from multiprocessing.connection import Connection


@dataclass
class Apart:
    """The asking end. Sending and receiving may wait, and raise OSError or EOFError when the other side is gone."""

    process: subprocess.Popen[bytes]
    send: Connection
    receive: Connection

    @classmethod
    def start(cls, module: str) -> Apart:
        """Start a process that runs a module, which serves by `ends`. Raises OSError."""
        process = subprocess.Popen([sys.executable, "-m", module], stdin=subprocess.PIPE, stdout=subprocess.PIPE)
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
