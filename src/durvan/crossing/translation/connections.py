"""Links of the target: from a parameter to what was written for the node that feeds it."""

from __future__ import annotations

from collections.abc import Mapping

from durvan.crossing.translation.forms import fitting, within
from durvan.crossing.translation.ground import Inward
from durvan.crossing.translation.matching import Match
from durvan.crossing.translation.wordless import stand_in_of
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Why
from durvan.scene.fate import Fate
from durvan.scene.graph import Link, Node

_FEED = Why(Cause.FEED, "What feeds it has no counterpart; a constant stands in.")
_NO_RELIEF = Why(
    Cause.NO_WORD, "What bends it is no relief that stands in the target; the surface's own normal is used."
)
_A_SURFACE = Why(Cause.NO_WORD, "A surface feeds it, and it takes none; its own value is used.")
_NO_SURFACE = Why(Cause.NO_WORD, "What feeds it is no surface; nothing lies there.")


class Connections:
    """Connects what was written; `matches` says what was written for each node of the common ground, `refused` why some could not
    be baked.
    """

    def __init__(
        self,
        inward: Inward,
        pack: Pack,
        matches: dict[str, Match],
        context: Mapping[str, float],
        refused: Mapping[str, Why],
    ) -> None:
        self.refused = refused
        self.inward = inward
        self.pack = pack
        self.matches = matches
        self.context = context

    def connect(self, target: Node, parameter: str, link: Link) -> None:
        """Link a parameter to what was written for a link of the common ground, or to what stands in for that."""
        seen: set[str] = set()
        while link.node not in seen:
            seen.add(link.node)
            match = self.matches.get(link.node)
            if match is not None and match.target is not None:
                misfit = self._misfit(match, link.output, target, parameter)
                if misfit is not None:
                    self._end_rows(target, parameter, Fate.LOST, misfit)
                    return
                target.links[parameter] = Link(match.target.id, self._fitting(match, link.output, target, parameter))
                if link.output in match.type.stand_ins:
                    self._stands_in(target, parameter, match, link.output)
                return
            node = self.inward.graph.nodes[link.node]
            stand_in = stand_in_of(node, self.inward.grown, self.refused)
            onward = node.links.get(stand_in)
            if onward is None:
                value = node.values.get(stand_in)
                kind = self.pack.parameter(target.kind, parameter)
                if value is not None and kind is not None and kind.type != "normal":
                    fitted = fitting(value, kind)
                    if fitted is not None:
                        target.values[parameter] = within(fitted, kind) if self.pack.identity.strict else fitted
                self._end_rows(target, parameter, Fate.HELD, self.refused.get(link.node, _FEED))
                return
            link = Link(onward.node, link.output if onward.output == "out" else onward.output)

    def _stands_in(self, target: Node, parameter: str, match: Match, output: str) -> None:
        """One of our outputs is read for another: the same where a picture has one channel alone."""
        main = match.roles.get(match.type.main)
        if main is not None and self.context.get(f"{main.id}:channels") == 1.0:
            return
        ours = self.output(match, output)
        said = f"{self.pack.title} gives no {output.removeprefix('out')} of a picture; its {ours} is read."
        why = Why(Cause.RULE, said, f"{match.type.kind}/{output}")
        for row in self.inward.rows:
            if (target.id, parameter) in row.targets:
                row.meet(Fate.FITTED, why)

    def _end_rows(self, target: Node, parameter: str, fate: Fate, why: Why) -> None:
        for row in self.inward.rows:
            if (target.id, parameter) in row.targets:
                row.meet(fate, why)

    def _misfit(self, match: Match, output: str, target: Node, parameter: str) -> Why | None:
        """Why what was written for a node cannot feed a parameter: surfaces feed surfaces alone, and relief is bent by relief."""
        kind = self.pack.parameter(target.kind, parameter)
        found = match.type.type.outputs.get(self.output(match, output))
        if kind is None or found in (None, "any") or kind.type == "any":
            return None
        if (found == "surface") != (kind.type == "surface"):
            return _NO_SURFACE if kind.type == "surface" else _A_SURFACE
        bends = kind.type == "normal" and "normalmap" in self.pack.by_category
        return _NO_RELIEF if bends and not self.pack.identity.common_ground and found != "normal" else None

    def _fitting(self, match: Match, output: str, target: Node, parameter: str) -> str:
        """The output that feeds a parameter: where that is a number and a colour would come, its grey."""
        found = self.output(match, output)
        kind = self.pack.parameter(target.kind, parameter)
        outputs = match.type.type.outputs
        if kind is None or kind.type != "float" or outputs.get(found) != "color" or output != "out":
            return found
        grey = match.type.outputs_back.get("outgrey") or match.type.outputs_back.get("outr") or found
        return grey if outputs.get(grey) == "float" else found

    def output(self, match: Match, output: str) -> str:
        """What the target calls an output of the common ground."""
        back, output = match.type.outputs_back, match.reads or output
        return back.get(output) or back.get("out") or next(iter(back.values()), "out")
