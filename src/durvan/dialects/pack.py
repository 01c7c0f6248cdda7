"""A dialect pack: its documents, its mapping compiled, and its code, ready for use."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from functools import cached_property
from importlib.resources.abc import Traversable
from pathlib import Path
from types import ModuleType
from typing import Any, Protocol, TypeVar, cast

from pydantic import BaseModel, ValidationError

from durvan.dialects.compiled import CompiledCase, CompiledType, Compiler
from durvan.dialects.contract import Identity, Mapping
from durvan.dialects.described.contract import LooksSaid
from durvan.dialects.described.looks import DescribedLooks
from durvan.dialects.extending import documents, read_document
from durvan.dialects.ground_words import with_common_words
from durvan.dialects.look import Inputs, Looks
from durvan.dialects.said import Cause, Why
from durvan.errors import PackError
from durvan.graph.formula import Language
from durvan.scene.graph import Graph
from durvan.scene.vocabulary import NodeType, Parameter, Role, Vocabulary

Model = TypeVar("Model", bound=BaseModel)


class Hooks(Protocol):
    """What a pack does in code because data cannot say it: `hooks.py` in its folder."""

    def kind_of(self, shader_id: str) -> str | None:
        """The node type that a shader id of a file means, or None."""

    def folds(self, shader_id: str) -> bool:
        """Whether a node is no word of its own, but folded into a link when it is read."""

    def fold(self, graph: Graph) -> None:
        """Fold the nodes that are no words of their own into the links that read them."""

    def before_reading(self, graph: Graph, metres_per_unit: float) -> None:
        """Put what is measured in space, in a network that was just read and folded, into metres."""

    def in_file_units(self, graph: Graph, metres_per_unit: float) -> None:
        """Put what is measured in space into the file's units, still in the vocabulary's words."""

    def after_writing(self, graph: Graph, metres_per_unit: float) -> None:
        """Put a network that is to be written into the words of the file."""

    # Where words of files have types that the vocabulary does not tell, a pack may have one more:
    # typed(word: str, port: str, output: bool) -> str


_HOOKS = ("kind_of", "folds", "fold", "before_reading", "in_file_units", "after_writing")


def checked_hooks(module: ModuleType, pack: str) -> Hooks:
    """A pack's hooks module, when it has all that `Hooks` asks for. Raises PackError."""
    missing = [name for name in _HOOKS if not callable(getattr(module, name, None))]
    if missing:
        raise PackError(f"hooks.py has no function {', '.join(missing)}.", file=f"{pack}/hooks.py")
    return cast(Hooks, module)


def checked_functions(module: ModuleType, pack: str) -> dict[str, Callable[..., Any]]:
    """The functions of a pack's formulas: `FUNCTIONS` in its functions.py, by name. Raises PackError."""
    found = getattr(module, "FUNCTIONS", None)
    if not isinstance(found, dict) or not all(isinstance(k, str) and callable(v) for k, v in found.items()):
        raise PackError("functions.py has no FUNCTIONS, a table of functions by name.", file=f"{pack}/functions.py")
    return found


@dataclass(frozen=True)
class Code:
    """What a pack says in code because data cannot: hooks, looks, functions of its formulas."""

    hooks: Hooks | None = None
    looks: Looks | None = None
    functions: dict[str, Callable[..., Any]] = field(default_factory=dict)


@dataclass(frozen=True)
class Below:
    """A pack that another one extends: where its documents lie, the prefix of its words, its vocabulary, and its code, once asked for."""

    folder: Traversable | Path
    prefix: str
    vocabulary: Vocabulary
    code: Callable[[], Code]

    def under(self, own: Code, prefix: str) -> Code:
        """A pack's code with this one's below it, where it has none itself. `prefix` is that of its words."""
        code = self.code()
        return Code(own.hooks or code.hooks, own.looks or self.looks_for(prefix), {**code.functions, **own.functions})

    def looks_for(self, prefix: str) -> Looks | None:
        """Its looks, for words that begin otherwise and may lack some of its parameters."""
        looks = self.code().looks
        return cast("Looks", Lent(looks, self.vocabulary, self.prefix, prefix)) if looks is not None else None


@dataclass(frozen=True)
class Lent:
    """Looks for the words of a pack that extends another one: they look as the other one's do, which know their own parameters."""

    looks: Looks
    vocabulary: Vocabulary
    old: str
    new: str

    def __getattr__(self, part: str) -> Callable[[str, Inputs], Any]:
        call = getattr(self.looks, part)

        def lent(kind: str, get: Inputs) -> Any:
            name = self.old + kind.removeprefix(self.new)
            below = self.vocabulary.types.get(name)
            return call(name, get.with_words_of(below) if below is not None else get)

        return lent


@dataclass(repr=False, eq=False)
class Pack:
    """One dialect, ready for use."""

    identity: Identity
    vocabulary: Vocabulary
    mapping: Mapping
    origin: str
    hooks: Hooks | None = None
    looks: Looks | None = None
    language: Language = field(default_factory=Language)

    def __repr__(self) -> str:
        return f"Pack({self.identity.name})"  # its documents are long

    @property
    def name(self) -> str:
        """The dialect's short name, as the command line takes it."""
        return self.identity.name

    @property
    def title(self) -> str:
        """The dialect's name as people read it."""
        return self.identity.title

    def folded(self, graph: Graph) -> Graph:
        """A network in the vocabulary's words alone; a copy, where the pack has words that only files have."""
        if self.hooks is None:
            return graph
        copy = graph.copy()
        self.hooks.fold(copy)
        return copy

    @cached_property
    def compiled(self) -> dict[str, CompiledType]:
        """Every mapped type. Raises PackError with the entry that does not compile."""
        out = {}
        for kind in self.mapping.types:
            if kind not in self.vocabulary.types:
                raise PackError(f"'{kind}' is mapped but not in the vocabulary.", file=f"{self.origin}/mapping.yaml")
            out[kind] = Compiler(self.origin, kind, self.vocabulary.types[kind], self.mapping, self.language).compiled()
        return out

    @cached_property
    def unsaid(self) -> dict[str, Why]:
        """Why words of the common ground (a category, or category.port) have no counterpart."""
        return {
            word: Why(
                Cause.IDLE if one.effect == "none" else Cause.NO_WORD, one.because, f"{self.name}:{one.topic or word}", one.told_by,
                one.finding.declared() if one.finding is not None else None,
            )
            for word, one in self.mapping.no_word_for.items()
        }  # fmt: skip

    @cached_property
    def by_category(self) -> dict[str, list[tuple[CompiledType, int]]]:
        """Which types can begin at a common node of a category: the type and the place in its chain."""
        table: dict[str, list[tuple[CompiledType, int]]] = {}
        for kind, compiled in self.compiled.items():
            for place, role in enumerate(compiled.chain if not self.mapping.types[kind].reading_only else ()):
                table.setdefault(role.category, []).append((compiled, place))
                if not role.optional:
                    break
        for rows in table.values():
            # the type that says most in one node comes first, and before it one that asks for more
            rows.sort(key=lambda row: (-row[0].needed, -len(row[0].chain)))
        return table

    @cached_property
    def ids(self) -> dict[str, str]:
        """Shader id in a file → node type."""
        return {node_type.id or kind: kind for kind, node_type in self.vocabulary.types.items()}

    @cached_property
    def claimed(self) -> tuple[str, ...]:
        """What the ids of its words start with, whether it knows them or not."""
        return tuple(start for start in (self.identity.prefix, *self.identity.claims) if start)

    def kind_of(self, shader_id: str) -> str | None:
        """The node type that a shader id of a file means, or None when an add-on is missing."""
        found = self.ids.get(shader_id)
        if found is None and self.hooks is not None:
            found = self.hooks.kind_of(shader_id)
        return found if found in self.vocabulary.types else None

    def type(self, kind: str) -> NodeType | None:
        """A node type, or None when the dialect has no such word."""
        return self.vocabulary.types.get(kind)

    def case(self, kind: str, name: str) -> CompiledCase | None:
        """A reading of a node type by its name, or None."""
        compiled = self.compiled.get(kind)
        return next((case for case in compiled.cases if case.name == name), None) if compiled is not None else None

    def is_surface(self, kind: str) -> bool:
        """Whether a node type is one that a material ends in."""
        node_type = self.vocabulary.types.get(kind)
        return node_type is not None and node_type.role == "surface"

    def playing(self, kind: str, role: Role) -> str | None:
        """The parameter of a node type that plays a role (its switch, its picture), or None."""
        node_type = self.vocabulary.types.get(kind)
        return node_type.playing(role) if node_type is not None else None

    def parameter(self, kind: str, name: str) -> Parameter | None:
        """A parameter, or None."""
        node_type = self.vocabulary.types.get(kind)
        return node_type.parameters.get(name) if node_type else None


def _valid(data: dict[str, Any], model: type[Model], place: str) -> Model:
    try:
        return model.model_validate(data)
    except ValidationError as problem:
        first = problem.errors()[0]
        raise PackError(
            f"{first['msg']} ({problem.error_count()} such)",
            file=place,
            inside=".".join(map(str, first["loc"])),
        ) from problem


def _document(folder: Traversable | Path, name: str, model: type[Model]) -> Model:
    return _valid(read_document(folder, name), model, f"{folder}/{name}")


def merge(parts: Iterable[dict[str, Any]]) -> dict[str, Any]:
    """Several `types` tables as one; a later one wins."""
    out: dict[str, Any] = {}
    for part in parts:
        out.update(part)
    return out


def load(
    folder: Traversable | Path,
    shared: Callable[[str], Traversable] | None = None,
    code: Code | None = None,
    parent: Callable[[str], Below] | None = None,
    compile_now: bool = True,
) -> Pack:
    """Load a pack from its folder, with its code; `pack.yaml` may name shared parts, which `shared` finds, and a pack that it extends,
    which `parent` does. Its formulas are compiled now, so that one that does not compile is told, or when they are first asked for.

    Raises PackError with the file and the place inside it.
    """
    found = documents(folder, (lambda name: parent(name).folder) if parent is not None else None)
    identity = _valid(found["pack.yaml"], Identity, f"{folder}/pack.yaml")
    if "mapping.yaml" not in found:
        raise PackError("the pack has no mapping.yaml.", file=str(folder))
    mapping = _valid(found["mapping.yaml"], Mapping, f"{folder}/mapping.yaml")
    if "vocabulary.yaml" not in found and not identity.common_ground:
        raise PackError("the pack has no vocabulary.yaml.", file=str(folder))
    vocabulary = _valid(found.get("vocabulary.yaml", {"types": {}}), Vocabulary, f"{folder}/vocabulary.yaml")
    for name in identity.shares:
        if shared is None:
            raise PackError(f"shares '{name}', which is not here.", file=str(folder))
        more = shared(name)
        vocabulary = Vocabulary(types=merge([_document(more, "vocabulary.yaml", Vocabulary).types, vocabulary.types]))
        other = _document(more, "mapping.yaml", Mapping)
        mapping = Mapping(
            sets=merge([other.sets, mapping.sets]),
            types={
                **mapping.types,
                **{k: v for k, v in other.types.items() if k not in mapping.types},
            },  # its own words first
            no_word_for=merge([other.no_word_for, mapping.no_word_for]),
        )
    try:
        mapping = mapping.settled()
    except ValueError as problem:
        raise PackError(f"{problem}.", file=f"{folder}/mapping.yaml") from problem
    missing = mapping.missing_set()
    if missing:
        raise PackError(f"{missing}.", file=f"{folder}/mapping.yaml")
    try:
        vocabulary = vocabulary.settled()
    except ValueError as problem:
        raise PackError(f"{problem}.", file=f"{folder}/vocabulary.yaml") from problem
    if identity.common_ground:
        vocabulary, mapping = with_common_words(identity.prefix, vocabulary, mapping)
    parts = code or Code()
    if identity.extends and parent is not None:
        parts = _with_parent(parts, identity, parent, folder)
    looks = parts.looks
    if "looks.yaml" in found:
        said = _valid(found["looks.yaml"], LooksSaid, f"{folder}/looks.yaml")
        looks = DescribedLooks(said, vocabulary, f"{folder}/looks.yaml", looks)
    pack = Pack(identity, vocabulary, mapping, str(folder), parts.hooks, looks, Language(parts.functions))
    if compile_now:
        _ = pack.compiled
    return pack


def _with_parent(own: Code, identity: Identity, parent: Callable[[str], Below], folder: Traversable | Path) -> Code:
    """A pack's code with that of the pack below it, where it has none itself."""
    below = parent(identity.extends)
    prefix = below.prefix
    if below.code().hooks is not None and prefix != identity.prefix:
        said = f"'{identity.extends}' reads its words by code, so what extends it keeps its prefix, '{prefix}'"
        raise PackError(f"{said}.", file=f"{folder}/pack.yaml", inside="prefix")
    return below.under(own, identity.prefix)
