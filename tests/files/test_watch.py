"""Following the disk."""

from __future__ import annotations

import threading

from durvan.files.index import Shelf
from durvan.files.roots import Root
from durvan.files.watch import Watcher, watched


def test_a_change_is_noticed_once(tmp_path) -> None:
    file = tmp_path / "a.png"
    watcher = Watcher(lambda: None)
    watcher.watch(watched([(str(file), ())]))
    assert not watcher.look()
    file.write_text("1")
    assert watcher.look() and not watcher.look()
    file.write_text("22")
    assert watcher.look()
    file.unlink()
    assert watcher.look() and not watcher.look()


def test_folders_are_watched_for_what_may_appear_in_them(tmp_path) -> None:
    watcher = Watcher(lambda: None)
    watcher.watch(watched([(str(tmp_path / "a.<UDIM>.png"), (str(tmp_path / "a.1001.png"),))]))
    (tmp_path / "a.1002.png").touch()
    assert watcher.look()


def test_roots_are_followed_too(tmp_path, monkeypatch) -> None:
    monkeypatch.setattr("durvan.files.index._TICK", 0)
    shelf = Shelf()
    shelf.get(Root(str(tmp_path)))
    watcher = Watcher(lambda: None)
    watcher.watch([], shelf)
    assert not watcher.look()
    (tmp_path / "new.png").touch()
    assert watcher.look()


def test_it_runs_by_itself_and_ends(tmp_path) -> None:
    heard = threading.Event()
    watcher = Watcher(heard.set, pause=0.02)
    watcher.watch([str(tmp_path / "a.png")])
    watcher.start()
    (tmp_path / "a.png").touch()
    assert heard.wait(10.0)
    watcher.close()
    assert not [thread for thread in threading.enumerate() if thread.name == "durvan-watch"]
