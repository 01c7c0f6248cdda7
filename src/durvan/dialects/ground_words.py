"""The common ground's own words as a dialect's: what the packs have whose nodes are MaterialX's."""

from __future__ import annotations

from durvan.dialects.contract import Entry, Mapping, TypeMap
from durvan.dialects.shared.materialx.rest import NO_WORD, unmapped
from durvan.scene.vocabulary import NodeType, Vocabulary, common_ground


def with_common_words(prefix: str, own: Vocabulary, said: Mapping) -> tuple[Vocabulary, Mapping]:
    """A pack's own words, and besides the common ground's, one for one, with lengths in the stage's unit; then what else MaterialX
    has, which leads nowhere.

    A surface that the pack has a word of its own for is not taken over, nor what it says that it has no word for.
    """
    surfaces = {
        one.category
        for kind, one in said.types.items()
        if kind in own.types and own.types[kind].role == "surface" and not one.reading_only
    }
    types: dict[str, NodeType] = {}
    maps: dict[str, TypeMap] = {}
    for category, node_type in common_ground().types.items():
        if node_type.role not in ("surface", "node") or category in said.no_word_for or category in surfaces:
            continue
        types[prefix + category] = _in_the_stages_unit(node_type)
        entries = tuple(Entry(ours=(name,), common=(name,)) for name in node_type.parameters)
        maps[prefix + category] = TypeMap(category=category, outputs={n: n for n in node_type.outputs}, entries=entries)
    types |= own.types
    maps |= said.types
    rest = {kind: one for kind, one in unmapped(prefix, _known(prefix, types)).items() if kind not in types}
    return (
        Vocabulary(types={**types, **rest}),
        Mapping(sets=said.sets, types=maps, no_word_for={**dict.fromkeys(rest, NO_WORD), **said.no_word_for}),
    )


def _in_the_stages_unit(node_type: NodeType) -> NodeType:
    parameters = {
        name: one.model_copy(update={"unit": "scene"}) if one.unit == "m" else one
        for name, one in node_type.parameters.items()
    }
    return node_type.model_copy(update={"parameters": parameters})


def _known(prefix: str, types: dict[str, NodeType]) -> frozenset[str]:
    return frozenset(kind.removeprefix(prefix) for kind in types)
