"""Findings: what a person should know, with cause, consequence and evidence; `rules.look_over` raises them all."""

from durvan.crossing.findings.model import Finding, Findings, Group, Level, Remedy, grouped
from durvan.crossing.findings.view import Need, View

__all__ = ["Finding", "Findings", "Group", "Level", "Need", "Remedy", "View", "grouped"]
