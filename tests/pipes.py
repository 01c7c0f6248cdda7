"""A connection between a test and a server in the same process."""

from __future__ import annotations

import threading


class Pipe:
    """The asking end, in this process: what is put in is received, in order."""

    def __init__(self) -> None:
        self.items: list[object] = []
        self.wake = threading.Condition()
        self.gone = False

    def put(self, item: object) -> None:
        with self.wake:
            self.items.append(item)
            self.wake.notify_all()

    def end(self) -> None:
        with self.wake:
            self.gone = True
            self.wake.notify_all()

    def recv(self) -> object:
        with self.wake:
            self.wake.wait_for(lambda: self.items or self.gone, 20.0)
            if not self.items:
                raise EOFError
            return self.items.pop(0)

    def send(self, answer: object) -> None:
        self.put(answer)
