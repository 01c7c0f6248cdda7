"""What `looks.yaml` says: for each word what it looks like, by formulas over its parameters."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BeforeValidator, ConfigDict, Field

from durvan.scene.vocabulary import Strict

Text = Annotated[str, BeforeValidator(lambda said: said if isinstance(said, str) else str(said))]
Shape = Literal["rect", "disk", "sphere", "cylinder", "point", "far", "dome", "mesh"]


class Said(Strict):
    """A part of the document. `let` names what several formulas need; later ones may read earlier ones."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)
    let: dict[str, Text] = Field(default_factory=dict)


class LobeSaid(Strict):
    """One lobe. `under` is the name of the lobe right on top of it; one that `covers` takes from those under it what it gives back."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)
    name: str = Field(default="", alias="as")
    lobe: Literal["matt", "through", "mirror", "refract", "straight", "fuzz", "deep", "fibre"]
    when: Text = ""
    weight: Text = "1"
    alpha: Text = "0"
    across: Text = ""
    turn: Text = "0"
    facets: Text = "'ggx'"
    fresnel: Literal["constant", "dielectric", "metal", "schlick", "wall"] = "constant"
    first: Text = "1"
    second: Text = "1"
    under: str = ""
    covers: Literal["none", "scaled", "reciprocal"] = "none"
    amount: Text = "1"
    absorb: Text = "1"
    film: Text = "0"
    film_index: Text = "1.4"
    full: bool = False
    within: Text = "1"


class LayersSaid(Strict):
    """A surface that is others together: `how` they are, the parameters that they come by, and how much of the upper one."""

    how: Literal["over", "add", "stack"]
    below: str
    top: str
    amount: Text = "1"


class SurfaceSaid(Said):
    """What a surface looks like. `relief` is a parameter; `glow` is in nit, `reach` and `moved` in metres, `murk` per metre."""

    lobes: tuple[LobeSaid, ...] = ()
    layers: LayersSaid | None = None
    opacity: Text = "1"
    glow: Text = "0"
    glow_lights: Text = "True"
    murk: Text = "0"
    reach: Text = "0"
    deep: Text = "0"
    relief: str = ""
    moved: Text = "0"


class NodeSaid(Said):
    """What a node gives, by the names of its outputs."""

    outputs: dict[str, Text]


class LampSaid(Said):
    """A light in its own axes, as `durvan.dialects.look.Lamp` has it: metres, degrees, and nit, of a point candela, of a far one lux."""

    when: Text = "True"
    shape: Shape
    radiance: Text
    tint: Text = "white"
    size: tuple[Text, Text] = ("0", "0")
    inner: Text = "180"
    outer: Text = "180"
    profile: Literal["smooth", "linear"] = "smooth"
    focus: Text = "0"
    decay: Text = "2"
    shadows: Text = "True"
    picture: str = Field(default="", description="the parameter that names one")
    turn: Text = "0"
    total: Text = "False"
    start: Text = "1"
    reach: Text = "0"
    seen: Text = "True"


class ViewSaid(Said):
    """A camera: film and lens in millimetres, lengths in metres; `scale` turns nit into picture value."""

    film_width: Text
    focal: Text
    shift: tuple[Text, Text] = ("0", "0")
    f_number: Text = "0"
    focus: Text = "0"
    near: Text = "0"
    far: Text = "0"
    scale: Text = "1"
    vignetting: Text = "0"


class SamplingSaid(Said):
    """How a picture is computed."""

    samples: Text = "64"
    bounces: Text = "16"
    clamp: Text = "0"
    indirect: Text = "True"
    pixel_aspect: Text = "1"
    width: Text = "0"
    height: Text = "0"


class LooksSaid(Strict):
    """`looks.yaml`."""

    surfaces: dict[str, SurfaceSaid] = Field(default_factory=dict)
    nodes: dict[str, NodeSaid] = Field(default_factory=dict)
    lights: dict[str, LampSaid] = Field(default_factory=dict)
    cameras: dict[str, ViewSaid] = Field(default_factory=dict)
    settings: dict[str, SamplingSaid] = Field(default_factory=dict)
