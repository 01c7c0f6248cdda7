"""Findings: what a person should know, with cause, consequence and evidence; `look_over` raises them all."""

from durvan.crossing.findings.model import Finding, Findings, Group, Level, Remedy, grouped
from durvan.crossing.findings.rules import RULES, Rule, look_over
from durvan.crossing.findings.view import Need, View

__all__ = ["RULES", "Finding", "Findings", "Group", "Level", "Need", "Remedy", "Rule", "View", "grouped", "look_over"]
