"""What rules of findings look at: the plan, the files, the pictures' uses, and what was found out by looking."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import Flag, auto
from functools import cached_property

from durvan.crossing.document.document import Pin
from durvan.crossing.light.asking import Known, stops_of, wanted
from durvan.crossing.light.report import LightReport
from durvan.crossing.looks.keys import LookKey, look_key
from durvan.crossing.outside.uses import PictureUse
from durvan.crossing.translation.plan import Plan
from durvan.crossing.translation.result import Translation
from durvan.dialects.pack import Pack
from durvan.dialects.registry import Registry
from durvan.files.audit import Verdict
from durvan.files.facts import Stamp
from durvan.scene.drift import Drift
from durvan.scene.model import Oddity, OutsideFile, Scene, Thing
from durvan.scene.said import Message


class Need(Flag):
    """What a rule looks at; it is run again only when some of that is other than it was."""

    SCOPE = auto()  # which things are carried
    TRANSLATIONS = auto()
    FILES = auto()
    VERDICTS = auto()
    DRIFTS = auto()  # and the limit that they are held against
    LIGHT = auto()  # the same of light
    ENGINES = auto()  # what renderers said
    PINS = auto()  # notes on places of the picture
    SHAPES = auto()  # what wears each material, and what it was recognised as
    CHOICES = auto()  # what a person decided, whatever follows of it


@dataclass(frozen=True)
class View:
    """One state of a crossing. `verdicts` are by the stamp of what was judged, `drifts` by the looks compared; `other_bases` are the things that
    are not what they were when something was decided about them.
    """

    plan: Plan
    registry: Registry
    uses: Mapping[str, tuple[PictureUse, ...]]
    verdicts: Mapping[Stamp, Verdict] = field(default_factory=dict)
    drifts: Mapping[LookKey, Drift] = field(default_factory=dict)
    limit: float = 3.0
    light: LightReport | None = None
    light_limit: float = 0.5
    messages: tuple[Message, ...] = ()
    pins: tuple[Pin, ...] = ()
    other_bases: frozenset[str] = frozenset()
    _keys: dict[str, tuple[Translation, LookKey]] = field(default_factory=dict, compare=False)
    _light: Known = field(default_factory=Known, compare=False)

    @property
    def scene(self) -> Scene:
        """The scene."""
        return self.plan.scene

    @cached_property
    def target(self) -> Pack:
        """The target's pack."""
        return self.registry.get(self.plan.choices.target)

    def source(self, thing: Thing) -> Pack | None:
        """The pack of a thing's own dialect."""
        return self.registry.packs.get(thing.dialect)

    def translation(self, thing: Thing) -> Translation:
        """What a carried thing becomes."""
        return self.plan.translations[thing.id]

    @cached_property
    def carried(self) -> list[Thing]:
        """The things in scope, in the scene's order."""
        return [self.scene.things[name] for name in self.plan.translations]

    @cached_property
    def written(self) -> dict[str, OutsideFile]:
        """Files outside by the path that the scene has."""
        return {file.written: file for file in self.scene.files.values()}

    @cached_property
    def used_by(self) -> dict[str, list[OutsideFile]]:
        """Files outside by the things that use them."""
        out: dict[str, list[OutsideFile]] = {}
        for file in self.scene.files.values():
            for name in dict.fromkeys(user[0] for user in file.users):
                out.setdefault(name, []).append(file)
        return out

    def verdict(self, file: OutsideFile) -> Verdict | None:
        """What the pixels of a file, as it is now, say."""
        return self.verdicts.get(file.stamp) if file.stamp is not None else None

    def drift(self, thing: Thing) -> Drift | None:
        """The drift between a material's looks, as they are now."""
        return self.drifts.get(self.key(thing)) if self.drifts and thing.id in self.plan.translations else None

    def key(self, thing: Thing) -> LookKey:
        """What a drift of a carried material is kept by."""
        translation = self.plan.translations[thing.id]
        known = self._keys.get(thing.id)
        if known is not None and known[0] is translation:
            return known[1]
        made = look_key(thing, translation, self.used_by.get(thing.id, ()))
        self._keys[thing.id] = (translation, made)
        return made

    @cached_property
    def oddities(self) -> dict[str, list[Oddity]]:
        """What the reader met, by thing; "" for the file as a whole."""
        out: dict[str, list[Oddity]] = {}
        for odd in self.scene.oddities:
            out.setdefault(odd.thing, []).append(odd)
        return out

    @cached_property
    def balance(self) -> LightReport | None:
        """The light of both sides as it is now, with trims; None where it has not been measured as it is."""
        if self.light is None:
            return None
        camera = self.light.camera
        now = wanted(self.plan, self.registry, camera, known=self._light)
        return self.light.trimmed(stops_of(self.plan)) if now.key == self.light.key else None

    def kept_on(self, thing: Thing, parameter: str) -> bool:
        """Whether a thing's parameter stands on the scene's settings in the file."""
        pack, root = self.source(thing), thing.root
        found = pack.parameter(root.kind, parameter) if pack is not None and root is not None else None
        return found is not None and bool(found.kept_on)

    def learn(self, before: View) -> None:
        """Take over what a former view has looked up, where it is about the same."""
        if before.scene.oddities is self.scene.oddities and "oddities" in before.__dict__:
            self.__dict__["oddities"] = before.oddities
        if before.scene is self.scene:
            self._keys.update(before._keys)
            self._light.learn(before._light)
            for name in ("written", "used_by"):
                if name in before.__dict__:
                    self.__dict__[name] = before.__dict__[name]
