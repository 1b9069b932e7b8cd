"""Materials as a job keeps them: one class a kind, every figure in SI units."""

from itertools import pairwise
from typing import Annotated, ClassVar, Literal

from msgspec import Meta

from bibulon.core.model.base import Density, Finite, Frozen, NonNegative, Positive, Share, said
from bibulon.core.units.words import tr

__all__ = [
    "About",
    "CastroMacosko",
    "Confidence",
    "ConstantViscosity",
    "Core",
    "Direction",
    "DoseAt",
    "Fabric",
    "FabricForm",
    "FlowMesh",
    "Grooves",
    "KamalSourour",
    "Material",
    "PeelLayer",
    "PorousLayer",
    "Resin",
    "Scores",
    "SkinCoat",
    "TabulatedViscosity",
    "TackSpray",
    "Viscosity",
]


Confidence = Literal["measured", "data sheet", "typical", "guess"]


class About(Frozen):
    """Where one figure comes from, how far to trust it, and between what it may lie if that is known."""

    source: Annotated[str, Meta(max_length=300)] = ""
    confidence: Confidence = "typical"
    low: NonNegative | None = None
    high: NonNegative | None = None


class _Named(Frozen):
    name: Annotated[str, Meta(min_length=1, max_length=120)]
    source: str = ""
    price_per_m2: NonNegative = 0.0
    about: Annotated[dict[str, About], said("by the name of the figure")] = {}


FabricForm = Literal["weave", "twill", "stitched", "braid", "mat", "veil", "combination"]


class Direction(Frozen):
    """A share of a fabric's fibre that lies at an angle to its roll direction; ``mat`` lies every way."""

    angle_deg: Annotated[float, Meta(ge=-90, le=90)] = 0.0
    share: Annotated[float, Meta(gt=0, le=1)]


class Fabric(_Named, tag_field="kind", tag="fabric"):
    """A dry ply: its compaction law V_f(p) = V_f,ref (p / p_ref)^B and permeability at V_f,ref.

    ``directions`` are where its fibres lie; empty means half along and half across, or every way
    for a mat or veil.
    """

    kind: ClassVar[Literal["fabric"]] = "fabric"
    form: FabricForm = "stitched"
    directions: Annotated[tuple[Direction, ...], Meta(max_length=12)] = ()
    areal_mass: Annotated[Positive, said("kg/m2")]
    fibre_density: Annotated[Density, said("kg/m3")] = 2550.0
    vf_ref: Annotated[float, Meta(gt=0.01, lt=0.9)] = 0.5
    p_ref: Annotated[Positive, said("Pa")] = 1.0e5
    compaction_exponent: Annotated[float, Meta(ge=0, le=0.5)] = 0.08
    k1: Annotated[Positive, said("m2, along the ply direction at vf_ref")]
    k2: Annotated[Positive, said("m2, across it")]
    k3: Annotated[Positive, said("m2, through the thickness")]
    roll_width: Annotated[Positive, said("m")] = 1.27


class PorousLayer(_Named, tag_field="kind", tag="porous"):
    """A layer given outright: thickness, porosity and permeability that nothing changes."""

    kind: ClassVar[Literal["porous"]] = "porous"
    thickness: Annotated[Positive, said("m")]
    porosity: Annotated[float, Meta(gt=0, le=1)]
    k1: Positive
    k2: Positive
    k3: Positive
    areal_mass: NonNegative = 0.0


class Grooves(Frozen):
    """Parallel grooves in both directions of a core face, which is the upper one unless said."""

    width: Positive
    depth: Positive
    pitch: Positive
    face: Literal["lower", "upper"] = "upper"


class Scores(Frozen):
    """Saw cuts that let a core bend, one way or both; on a curve they open and hold more."""

    ways: Literal[1, 2] = 2
    width: Positive
    depth: Positive
    pitch: Positive
    face: Literal["lower", "upper"] = "upper"


class Core(_Named, tag_field="kind", tag="core"):
    """A core sheet: plain when it has neither grooves, scores nor holes, then no resin passes it."""

    kind: ClassVar[Literal["core"]] = "core"
    thickness: Positive
    density: Positive
    grooves: Grooves | None = None
    scores: Scores | None = None
    sheet_length: Annotated[Positive, said("m")] = 1.2
    sheet_width: Annotated[Positive, said("m")] = 0.6
    hole_diameter: NonNegative = 0.0
    hole_pitch: Positive = 0.03
    surface_uptake: Annotated[NonNegative, said("m3 of resin per m2 of cut face, both faces together")] = 0.0
    bears: Annotated[
        Annotated[float, Meta(ge=273, le=573)] | None,
        said("K up to which the sheet lets it be heated; None where it does not tell"),
    ] = None

    def __post_init__(self) -> None:
        if self.grooves and self.grooves.depth > self.thickness:
            raise ValueError(tr("the grooves are deeper than the core"))
        if self.grooves and self.grooves.width >= self.grooves.pitch:
            raise ValueError(tr("the grooves are wider than their pitch"))
        if self.scores and self.scores.depth > self.thickness:
            raise ValueError(tr("the scores are deeper than the core"))
        if self.scores and self.scores.width >= self.scores.pitch:
            raise ValueError(tr("the scores are wider than their pitch"))
        if self.hole_diameter >= self.hole_pitch:
            raise ValueError(tr("the holes are wider than their pitch"))


class FlowMesh(_Named, tag_field="kind", tag="mesh"):
    """Open net on top of the stack."""

    kind: ClassVar[Literal["mesh"]] = "mesh"
    thickness: Positive
    porosity: Annotated[float, Meta(gt=0, lt=1)]
    k1: Positive
    k2: Positive
    k3: Positive
    areal_mass: NonNegative = 0.0


class PeelLayer(_Named, tag_field="kind", tag="peel"):
    """Peel ply or perforated film: holds little, resists the flow through it."""

    kind: ClassVar[Literal["peel"]] = "peel"
    thickness: Positive
    porosity: Share
    k3: Positive
    areal_mass: NonNegative = 0.0


class SkinCoat(_Named, tag_field="kind", tag="coat"):
    """A coat on the tool, already set when resin comes: it stays in the part and passes nothing."""

    kind: ClassVar[Literal["coat"]] = "coat"
    thickness: Positive
    density: Annotated[Density, said("kg/m3")] = 1200.0


class TackSpray(_Named, tag_field="kind", tag="tack"):
    """Spray that holds dry cloth: what one pass puts down, and the most that resin still takes up [kg/m²]."""

    kind: ClassVar[Literal["tack"]] = "tack"
    areal_mass: Positive
    most: Annotated[Positive, said("kg/m2")] = 0.015


class ConstantViscosity(Frozen, tag_field="law", tag="constant"):
    """One viscosity at all times."""

    law: ClassVar[Literal["constant"]] = "constant"
    value: Annotated[Positive, said("Pa s")]


class TabulatedViscosity(Frozen, tag_field="law", tag="table"):
    """Measured viscosity against time since mixing, at the temperature of the job."""

    law: ClassVar[Literal["table"]] = "table"
    times: Annotated[tuple[NonNegative, ...], Meta(min_length=2), said("s")]
    values: Annotated[tuple[Positive, ...], Meta(min_length=2), said("Pa s")]

    def __post_init__(self) -> None:
        if len(self.times) != len(self.values):
            raise ValueError(tr("as many viscosities as times are needed"))
        if any(b <= a for a, b in zip(self.times, self.times[1:], strict=False)):
            raise ValueError(tr("the times of a viscosity table must rise"))


class KamalSourour(Frozen):
    """dα/dt = (A1 e^(−E1/RT) + A2 e^(−E2/RT) α^m)(1 − α)^n, with rates in 1/s and energies in J/mol."""

    a1: NonNegative
    e1: NonNegative
    a2: NonNegative
    e2: NonNegative
    m: Positive
    n: Positive

    def __post_init__(self) -> None:
        if self.a1 == 0 and self.a2 == 0:
            raise ValueError(tr("a cure law without any rate never cures: A1 or A2 is more than nothing"))


class CastroMacosko(Frozen, tag_field="law", tag="castro-macosko"):
    """μ = μ0 exp(E/RT) [α_g / (α_g − α)]^(c1 + c2 α), with the cure that drives α."""

    law: ClassVar[Literal["castro-macosko"]] = "castro-macosko"
    mu0: Annotated[Positive, said("Pa s")]
    energy: Annotated[NonNegative, said("J/mol")]
    alpha_gel: Annotated[float, Meta(gt=0, lt=1)]
    c1: NonNegative
    c2: Finite
    cure: KamalSourour


Viscosity = ConstantViscosity | TabulatedViscosity | CastroMacosko


class DoseAt(Frozen):
    """What a sheet asks of a peroxide at a temperature [K], in parts per 100 of resin."""

    temperature: Annotated[float, Meta(ge=253, le=373)]
    parts: Annotated[float, Meta(gt=0, le=10)]


class Resin(_Named, tag_field="kind", tag="resin"):
    """A resin system, mixed by weight: of two parts, or of three with an accelerator.

    ``cures`` by a hardener, in a fixed ratio, or by a peroxide, whose dose may lie anywhere in the sheet's band.
    """

    kind: ClassVar[Literal["resin"]] = "resin"
    density: Annotated[Density, said("kg/m3, mixed")] = 1100.0
    density_b: Annotated[Density, said("kg/m3, of part B")] = 1000.0
    parts_b_per_100: Annotated[NonNegative, said("by weight")] = 30.0
    ratio_tolerance: Annotated[float, Meta(gt=0, le=0.2), said("share of the ratio")] = 0.02
    cures: Literal["hardener", "peroxide"] = "hardener"
    dose_low: Annotated[float, Meta(gt=0, le=10), said("parts of peroxide, at least")] = 1.0
    dose_high: Annotated[float, Meta(gt=0, le=10), said("parts of peroxide, at most")] = 2.5
    doses: Annotated[tuple[DoseAt, ...], Meta(max_length=20), said("by temperature, rising")] = ()
    accelerator_per_100: Annotated[
        float,
        Meta(ge=0, le=10),
        said("parts by weight that the shop stirs in; 0 where it is in the resin, or there is none"),
    ] = 0.0
    accelerator_density: Annotated[Density, said("kg/m3")] = 950.0
    warm_limit: Annotated[
        Annotated[float, Meta(ge=283, le=393)] | None, said("K up to which the sheet lets it be warmed")
    ] = None
    filler_share: Annotated[float, Meta(ge=0, lt=0.9), said("of the filled resin, by weight")] = 0.0
    filler_density: Annotated[Density, said("kg/m3")] = 2700.0
    viscosity: Viscosity
    gel_time: Annotated[
        Annotated[float, Meta(gt=0)] | None,
        said("s in a thin part; used when the viscosity law knows no gel"),
    ] = None
    pot_life: Annotated[Positive, said("s, of the largest batch in the bucket")] = 1800.0
    largest_batch: Annotated[Positive, said("kg")] = 5.0
    mixing_time: Annotated[NonNegative, said("s")] = 180.0
    price_per_kg: NonNegative = 0.0
    heat: Annotated[float, Meta(gt=0, le=1e6), said("J/kg set free by the whole cure")] = 350e3
    glass_uncured: Annotated[
        Annotated[float, Meta(ge=150, le=400)] | None,
        said("K, glass transition as mixed; None where the sheet does not tell"),
    ] = None
    glass_cured: Annotated[Annotated[float, Meta(ge=250, le=600)] | None, said("K, fully cured")] = None
    glass_lambda: Annotated[float, Meta(gt=0, le=1)] = 0.45
    specific_heat: Annotated[float, Meta(ge=500, le=5000), said("J/(kg K)")] = 1800.0
    conductivity: Annotated[float, Meta(ge=0.05, le=2), said("W/(m K)")] = 0.2

    def __post_init__(self) -> None:
        if self.dose_low > self.dose_high:
            raise ValueError(tr("the dose's band ends below where it begins"))
        at = [d.temperature for d in self.doses]
        if any(b <= a for a, b in pairwise(at)):
            raise ValueError(tr("the temperatures of a dose table must rise"))
        if self.filler_share and self.filler_density <= self.density:
            raise ValueError(
                tr("a filler lighter than the filled resin would make it lighter: check the densities")
            )


Material = Fabric | PorousLayer | Core | FlowMesh | PeelLayer | SkinCoat | TackSpray | Resin
