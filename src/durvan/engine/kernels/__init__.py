"""The renderer's compiled code: a tree of boxes, programs of materials, lights, paths. See `world` for the arrays."""
