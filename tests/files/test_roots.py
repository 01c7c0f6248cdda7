"""Roots as text, and their index."""

from __future__ import annotations

import os
import threading
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from durvan.errors import RootsFileError, Stopped
from durvan.files import index, roots
from durvan.files import index as index_
from durvan.files.index import Index, Shelf, store, stored
from durvan.files.roots import Root
from durvan.progress import Step


@given(
    st.lists(
        st.builds(
            Root,
            st.text(st.characters(blacklist_characters="\0", blacklist_categories=("Cs",)), max_size=20).map(
                lambda text: f"/{text}"
            ),
            st.booleans(),
            st.booleans(),
        ),
        max_size=6,
    )
)
def test_roots_come_back_from_their_text(wanted) -> None:
    assert roots.parse(roots.text(wanted)) == wanted


def test_a_name_that_is_no_utf8_comes_back() -> None:
    odd = Root(os.fsdecode(b"/lib/\xff\n x"))
    assert roots.parse(roots.text([odd])) == [odd]


@pytest.mark.parametrize(
    ("text", "inside"),
    [("", "line 1"), ("something else", "line 1"), ("durvan roots 1\nuse deep", "line 2"), ("durvan roots 1\n\nuse wide /a", "line 3"),
     ("durvan roots 1\nuse deep relative/path", "line 2")],
)  # fmt: skip
def test_a_bad_list_says_where(text, inside) -> None:
    with pytest.raises(RootsFileError) as told:
        roots.parse(text, "roots.txt")
    assert told.value.inside == inside and "roots.txt" in str(told.value)


def test_a_list_is_written_and_read(tmp_path) -> None:
    file = tmp_path / "deep" / "roots.txt"
    roots.save([Root("/a"), Root("/b", deep=False, on=False)], file)
    assert roots.load(file) == [Root("/a"), Root("/b", False, False)]
    with pytest.raises(RootsFileError):
        roots.load(tmp_path / "none.txt")
    with pytest.raises(RootsFileError):
        roots.save([], Path("/proc/none/roots.txt"))


def test_an_index_finds_names_in_any_case(tmp_path) -> None:
    for name in ("wood/Oak.png", "stone/oak.png", "x.exr"):
        (tmp_path / name).parent.mkdir(exist_ok=True)
        (tmp_path / name).touch()
    made = Index(Root(str(tmp_path)))
    assert made.renew() and made.count == 3
    assert made.find("oak.png") == [str(tmp_path / "stone/oak.png"), str(tmp_path / "wood/Oak.png")]
    assert made.find("X.EXR") == [str(tmp_path / "x.exr")] and made.find("none") == []


def test_a_flat_root_looks_in_itself_only(tmp_path) -> None:
    (tmp_path / "below").mkdir()
    (tmp_path / "below" / "a.png").touch()
    (tmp_path / "b.png").touch()
    made = Index(Root(str(tmp_path), deep=False))
    made.renew()
    assert made.find("b.png") and not made.find("a.png")


def _settle(folder: Path, monkeypatch) -> None:
    monkeypatch.setattr(index, "_TICK", 0)


def test_an_index_is_brought_up_to_date_folder_by_folder(tmp_path, monkeypatch) -> None:
    _settle(tmp_path, monkeypatch)
    for number in range(5):
        (tmp_path / f"f{number}").mkdir()
        (tmp_path / f"f{number}" / "a.png").touch()
    made = Index(Root(str(tmp_path)))
    made.renew()
    scanned = []
    real = Index._scan
    monkeypatch.setattr(Index, "_scan", lambda self, path, *rest: (scanned.append(path), real(self, path, *rest))[1])
    assert not made.renew() and scanned == []
    (tmp_path / "f3" / "b.png").touch()
    assert made.renew() and scanned == [str(tmp_path / "f3")] and made.find("b.png")
    (tmp_path / "f3" / "b.png").unlink()
    assert made.renew() and not made.find("b.png")


def test_an_index_is_kept_on_disk(tmp_path, monkeypatch) -> None:
    monkeypatch.setenv("DURVAN_KEPT", str(tmp_path / "kept"))
    folder = tmp_path / "root"
    (folder / "odd\nname").mkdir(parents=True)
    (folder / "odd\nname" / os.fsdecode(b"\xff.png")).touch()
    made = Index(Root(str(folder)))
    made.renew()
    store(made)
    again = stored(Root(str(folder)))
    assert again.folders == made.folders and again.find(os.fsdecode(b"\xff.png"))
    kept = next((tmp_path / "kept" / "indexes").iterdir())
    kept.write_bytes(kept.read_bytes()[:40])
    assert stored(Root(str(folder))).folders == {}  # a broken one is built again


def test_links_that_loop_or_lead_out_are_not_followed(tmp_path) -> None:
    inside, outside = tmp_path / "root", tmp_path / "outside"
    inside.mkdir()
    outside.mkdir()
    (outside / "secret.png").touch()
    (inside / "a.png").touch()
    (inside / "round").symlink_to(inside)
    (inside / "out").symlink_to(outside)
    (inside / "file.png").symlink_to(outside / "secret.png")
    (inside / "self").symlink_to(inside / "self")
    made = Index(Root(str(inside)))
    made.renew()
    assert made.count == 1 and not made.find("secret.png") and not made.find("file.png")
    assert {"file.png", "out"} <= set(made.led_out) and "round" not in made.led_out


def test_a_root_that_goes_while_it_is_read_keeps_what_was_known(tmp_path) -> None:
    import shutil

    folder = tmp_path / "root"
    for number in range(120):
        (folder / f"f{number}").mkdir(parents=True)
        (folder / f"f{number}" / "a.png").touch()
    made = Index(Root(str(folder)))
    made.renew()
    assert made.count == 120
    for number in range(120):
        (folder / f"f{number}" / "b.png").touch()

    def vanish(step: Step) -> None:
        shutil.rmtree(folder, ignore_errors=True)

    assert not made.renew(vanish) and made.gone and made.count == 120
    assert not made.renew() and made.gone
    folder.mkdir()
    assert made.renew() and not made.gone and made.count == 0


def test_indexing_can_be_stopped(tmp_path) -> None:
    for number in range(120):
        (tmp_path / f"f{number}").mkdir()

    def stop(step: Step) -> None:
        raise Stopped

    made = Index(Root(str(tmp_path)))
    with pytest.raises(Stopped):
        made.renew(stop)
    assert made.renew()


def test_a_shelf_is_asked_from_several_threads(tmp_path, monkeypatch) -> None:
    monkeypatch.setenv("DURVAN_KEPT", str(tmp_path / "kept"))
    (tmp_path / "root").mkdir()
    (tmp_path / "root" / "a.png").touch()
    shelf, found = Shelf(), []
    threads = [
        threading.Thread(target=lambda: found.append(shelf.get(Root(str(tmp_path / "root"))).find("a.png")))
        for _ in range(8)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(found) == 8 and all(found)
    (tmp_path / "root" / "b.png").touch()
    assert shelf.renew()


def test_a_root_of_everything_stays_within_bounds(monkeypatch: pytest.MonkeyPatch) -> None:
    """Where the machine shows itself as files nothing is looked for, and there is an end to it; it can be stopped."""
    monkeypatch.setattr(index_, "_MOST_FOLDERS", 3000)
    everything = index_.Index(Root("/"))
    assert everything.renew()
    places = list(everything.folders)
    assert len(places) < 9000 and not any(place.split("/")[0] in ("proc", "sys") for place in places)
    assert "/proc" in index_._unreal()

    def stop(step) -> None:
        raise Stopped

    with pytest.raises(Stopped):
        index_.Index(Root("/")).renew(stop)


def test_a_place_that_may_not_be_looked_into_is_told(monkeypatch, tmp_path: Path) -> None:
    def refused(self: Path) -> bool:
        raise PermissionError(13, "Permission denied")

    monkeypatch.setenv("DURVAN_ROOTS", str(tmp_path / "roots.txt"))
    assert roots.of_user() == []
    monkeypatch.setattr(Path, "is_file", refused)
    with pytest.raises(RootsFileError, match="Permission denied"):
        roots.of_user()
