"""Colour views of the config that is built in, of a person's own, and of ones that are none."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio
import pytest

from durvan.errors import PictureError
from durvan.formats import views
from durvan.formats.views import ColourView

OWN = """ocio_profile_version: 2
roles: {{scene_linear: {space}, default: {space}, {more}}}
file_rules: [!<Rule> {{name: Default, colorspace: default}}]
displays:
  Booth:
    - !<View> {{name: Plain, colorspace: shown}}
active_displays: []
active_views: []
colorspaces:
  - !<ColorSpace> {{name: {space}, isdata: false}}
  - !<ColorSpace>
    name: shown
    isdata: false
    from_scene_reference: !<ExponentTransform> {{value: 2, direction: inverse}}
"""


def test_the_built_in_config_has_views_by_display() -> None:
    found = views.views_of()
    assert len(found) > 5 and all(one.config == views.BUILT_IN for one in found)
    assert any("sRGB" in one.display for one in found) and not any(one.view == "Raw" for one in found)
    assert len({one.name for one in found}) == len(found)


def test_a_persons_own_config_is_used_by_its_linear_space(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    file = tmp_path / "own.ocio"
    file.write_text(OWN.format(space="lin_rec709", more="reference: lin_rec709"))
    monkeypatch.setenv(views.OWN, str(file))
    (only,) = views.views_of(views.own_config())
    assert only.name == "Plain · Booth"
    grey = views.applied(only, np.full((2, 2, 3), 0.25, np.float32))
    assert grey == pytest.approx(0.5, abs=1e-3)


def test_a_config_that_does_not_know_linear_values_says_so(tmp_path: Path) -> None:
    file = tmp_path / "own.ocio"
    file.write_text(OWN.format(space="something", more="reference: something"))
    with pytest.raises(PictureError, match=r"says nothing of linear Rec\.709"):
        views.cube(views.views_of(str(file))[0])


@pytest.mark.parametrize("text", ["", "not: a config", "\x00\x01", "ocio_profile_version: 99\n"])
def test_what_is_no_config_is_refused_in_a_sentence(tmp_path: Path, text: str) -> None:
    file = tmp_path / "bad.ocio"
    file.write_text(text)
    with pytest.raises(PictureError, match="cannot be used as a colour config"):
        views.views_of(str(file))
    with pytest.raises(PictureError):
        views.views_of(str(tmp_path / "absent.ocio"))


def test_a_view_that_is_none_is_refused() -> None:
    with pytest.raises(PictureError, match="cannot be made"):
        views.cube(ColourView(views.BUILT_IN, "no display", "no view"))


def test_places_along_a_cube_are_those_it_was_made_at() -> None:
    at = views.positions()
    assert len(at) == views.SIDE and at[0] == 0.0
    assert views.axis(at) == pytest.approx(np.arange(views.SIDE), abs=1e-4)
    assert views.axis([1e9])[0] == views.SIDE - 1 and ocio.__version__
