"""What Durvan takes for the same: open and read a scene, plan it, carry it, write it, open it again and check it."""

from __future__ import annotations

import json
import resource
import sys
import time
from pathlib import Path

from durvan.crossing.exchange.carry import carry
from durvan.crossing.exchange.intake import open_scene, quiet_memory
from durvan.crossing.translation.choices import Choices
from durvan.crossing.translation.plan import plan
from durvan.dialects.registry import registry

packs = registry()
clock = time.perf_counter
start = clock()
scene = open_scene(Path(sys.argv[1]), packs)
opened = clock()
with quiet_memory():
    planned = plan(scene, packs, Choices(target="pellune"))
plans = clock()
carry(planned, packs, Path(sys.argv[2]))
carried = clock()
print(
    json.dumps(
        {
            "open": opened - start,
            "plan": plans - opened,
            "carry": carried - plans,
            "peak": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024.0,
        }
    )
)
