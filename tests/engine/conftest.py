"""Every test of the renderer needs its compiled code."""

from __future__ import annotations

import pytest


@pytest.fixture(autouse=True)
def _compiled(kernels: None) -> None:
    """Nothing more."""
