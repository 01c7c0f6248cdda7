"""The stations, in the order of work. A new one is a folder beside this table, and an entry here."""

from __future__ import annotations

from durvan.ui.stations.facing.view import Facing
from durvan.ui.stations.files.evidence import FileEvidence
from durvan.ui.stations.files.view import Files
from durvan.ui.stations.light.evidence import LightEvidence
from durvan.ui.stations.light.view import Light
from durvan.ui.stations.proof.evidence import ProofEvidence
from durvan.ui.stations.proof.view import Proof
from durvan.ui.stations.station import Station
from durvan.ui.stations.survey.view import Survey

STATIONS: tuple[Station, ...] = (
    Station("Survey", Survey),
    Station("Files", Files, FileEvidence),
    Station("Facing", Facing),
    Station("Light", Light, LightEvidence),
    Station("Proof", Proof, ProofEvidence),
)
