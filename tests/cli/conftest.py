"""Commands called as a user calls them."""

from __future__ import annotations

import sys

import pytest

from durvan.cli.main import run


@pytest.fixture
def call(monkeypatch, capsys):
    """Run a command in this process: status, output, errors."""

    def go(*arguments: object):
        monkeypatch.setattr(sys, "argv", ["durvan", *map(str, arguments)])
        with pytest.raises(SystemExit) as ended:
            run()
        out, err = capsys.readouterr()
        return ended.value.code or 0, out, err

    return go
