"""Names are never two things', read well, and are the same in the next run, whatever else is carried and in which order."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from durvan.identity import Namer, clean, leaf
from durvan.identity.namer import folded

PARTS = st.sampled_from(
    [
        "Brass",
        "brass",
        "BRASS",
        "Brass_1",
        "é",
        "é",
        "con",
        "NUL",
        "a" * 200,
        "a" * 255,
        "1",
        "",
        "_",
        "Ж",
        "x.y",
        "x y",
        "x/y",
        "\udc80",
    ]
)
PATHS = st.lists(PARTS, min_size=1, max_size=4).map(lambda parts: "/" + "/".join(parts))


def wished(path: str) -> str:
    return clean(leaf(path), "thing")


@given(st.lists(PATHS, unique=True, max_size=12), st.sampled_from(["", ".png", ".<UDIM>.exr"]))
def test_no_two_keys_have_the_same_name(paths, ending) -> None:
    names = Namer(["Brass.png", "thing"])
    given_ = [names.name(path, wished(path), ending) for path in paths]
    assert len({folded(name) for name in given_}) == len(paths)
    assert {folded("Brass.png"), folded("thing")}.isdisjoint(map(folded, given_))
    assert all(len(name.encode()) <= 255 and "/" not in name and name == name.strip() for name in given_)
    assert all(folded(name).partition(".")[0] not in ("con", "nul") for name in given_)


@given(st.lists(PATHS, unique=True, min_size=1, max_size=12), st.randoms())
def test_what_is_known_beforehand_is_named_the_same_in_any_order(paths, random) -> None:
    def named(order: list[str]) -> dict[str, str]:
        names = Namer()
        names.know((path, wished(path)) for path in paths)
        return {path: names.name(path, wished(path)) for path in order}

    other = random.sample(paths, len(paths))
    assert named(paths) == named(other)
    some = other[: len(other) // 2 + 1]
    assert named(some) == {path: named(paths)[path] for path in some}


def test_a_name_that_nothing_else_wants_stays_as_it_is() -> None:
    names = Namer()
    names.know([("/A/Brass", "Brass"), ("/B/Brass", "Brass"), ("/A/Oak", "Oak")])
    assert names.name("/A/Oak", "Oak") == "Oak"
    one, two = names.name("/A/Brass", "Brass"), names.name("/B/Brass", "Brass")
    assert one != two and one.startswith("Brass_") and two.startswith("Brass_")
    assert names.name("/A/Brass", "Brass") == one
