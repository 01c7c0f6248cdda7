"""How long a plan takes to be renewed after one change, beside working it all out, in the scene of many materials."""

from __future__ import annotations

import json
import statistics
import sys
import time
from pathlib import Path

from durvan.crossing.document.changes import LeaveOut, PutNote, SetValue
from durvan.crossing.job.session import start
from durvan.crossing.translation.choices import Note, Override
from durvan.dialects.registry import registry
from durvan.scene.drift import Drift

clock = time.perf_counter
session = start(Path(sys.argv[1]), registry(), "pellune")
began = clock()
session.outcome = None
session.work()()
whole = clock() - began
session.renew()
things = list(session.plan.translations)
changes = [
    PutNote(note=Note(thing=things[10], node="finish", parameter="rough", value=0.3)),
    SetValue(entry=Override(thing=things[-5], node="finish", parameter="mirror_index", value=1.7)),
    LeaveOut(thing=things[len(things) // 2]),
    PutNote(note=Note(thing=things[99], node="finish", parameter="color", value=(0.1, 0.2, 0.3))),
    SetValue(entry=Override(thing=things[500], node="a", parameter="decode_gamma", value=1.0)),
]
renewed, shown = [], []
for change in changes:
    session.do("Change", change)
    began = clock()
    session.renew()
    renewed.append(clock() - began)
    began = clock()
    _ = (session.plan.ledger.counts(), session.plan.ledger.grid(), [(g.title, g.count) for g in session.open_groups()])
    shown.append(clock() - began)
far = Drift(4.0, 9.0, 0.1, "booth", (4.0, 3.0, 2.0), 8)
session.measured({session.key_of(session.scene.things[things[7]]): far})
began = clock()
session.renew()  # the first drift: every look gets its key
first = clock() - began
session.measured({session.key_of(session.scene.things[things[8]]): far})
began = clock()
session.renew()
print(
    json.dumps(
        {
            "whole": whole, "renewed": statistics.median(renewed), "worst": max(renewed), "shown": statistics.median(shown),
            "first_drift": first, "next_drift": clock() - began, "findings": len(session.open), "rows": len(session.plan.ledger),
        }
    )
)  # fmt: skip
