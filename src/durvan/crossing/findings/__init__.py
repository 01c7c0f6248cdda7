"""Findings: what a person should know, with cause, consequence and evidence; `look_over` raises them all."""

from durvan.crossing.findings.model import Finding, Group, Level, Remedy, grouped
from durvan.crossing.findings.survey import look_over

__all__ = ["Finding", "Group", "Level", "Remedy", "grouped", "look_over"]
