"""Skarn: a dialect of lobes that are stacked and blended, in ACEScg, the stage's own unit and stops."""
