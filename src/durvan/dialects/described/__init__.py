"""Looks that are said as data: weighted lobes, maps, lights and cameras by formulas. Nothing of a folder is run but arithmetic."""
