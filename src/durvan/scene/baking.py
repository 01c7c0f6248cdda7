"""Pictures that stand for a part of a network: what is painted, how large, and how it is kept."""

from __future__ import annotations

from dataclasses import dataclass, replace

from durvan.scene.graph import Graph, Link

NAME = "baked:"  # what the path of such a picture starts with, before it has a place
COLOUR, DATA = "srgb_texture", "raw"


@dataclass(frozen=True, slots=True)
class Relief:
    """What a picture of normals stands for: heights, each with how many metres 1 is worth, and normal maps (from 0 to 1, green up),
    each with its strength; `metres_per_uv` is how long a unit of UVs is, along u and along v.
    """

    heights: tuple[tuple[Link, float], ...] = ()
    normals: tuple[tuple[Link, float], ...] = ()
    metres_per_uv: tuple[float, float] = (1.0, 1.0)


@dataclass(frozen=True, slots=True, eq=False)
class Bake:
    """A picture of what a link of a network on the common ground gives over UVs.

    `key` names what is painted (the same for the same network and size); `name` is that of the file, with "<UDIM>" in it where
    there are `tiles`; `size` in pixels of each; `space` "srgb_texture" for colours, "raw" for data; `by_place` says that it depends on
    where things stand, so that it is painted on the charts of all that wears `thing`, which is what it was when its `shapes` had that print. With a `relief` it is a picture of normals.
    """

    key: str
    name: str
    graph: Graph
    link: Link
    size: int
    space: str = DATA
    by_place: bool = False
    tiles: tuple[int, ...] = ()
    thing: str = ""
    relief: Relief | None = None
    shapes: str = ""

    def within(self, most: int) -> Bake:
        """The same of so many pixels at most."""
        return self if self.size <= most else replace(self, key=f"{self.key}-{most}", size=most)

    @property
    def path(self) -> str:
        """What stands in a target for it, until it is written."""
        return f"{NAME}{self.key}/{self.name}"


def of_path(path: str) -> tuple[str, str] | None:
    """The key and the file name of a baked picture's path; None for another path."""
    if not path.startswith(NAME):
        return None
    key, _, name = path[len(NAME) :].partition("/")
    return key, name
