"""What usd-core alone takes: open a stage, read every attribute, author as large a network spec by spec, write it."""

from __future__ import annotations

import json
import resource
import sys
import time

from pxr import Sdf, Usd

clock = time.perf_counter
start = clock()
stage = Usd.Stage.Open(sys.argv[1])
opened = clock()
nodes = []
for prim in stage.Traverse():
    for attribute in prim.GetAuthoredAttributes():
        value = attribute.Get()
        links = attribute.GetConnections()
        nodes.append((str(attribute.GetPath()), attribute.GetTypeName(), value, links))
read = clock()
layer = Sdf.Layer.CreateNew(sys.argv[2])
with Sdf.ChangeBlock():
    for path, type_name, value, links in nodes:
        owner, _, name = path.partition(".")
        prim = Sdf.CreatePrimInLayer(layer, owner)
        made = Sdf.AttributeSpec(prim, name, type_name)
        if value is not None:
            made.default = value
        for link in links:
            made.connectionPathList.explicitItems = [link]
authored = clock()
layer.Save()
written = clock()
print(
    json.dumps(
        {
            "open": opened - start,
            "read": read - opened,
            "author": authored - read,
            "write": written - authored,
            "peak": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024.0,
        }
    )
)
