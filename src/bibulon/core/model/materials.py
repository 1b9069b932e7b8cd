"""Materials as a job keeps them: one class a kind, every figure in SI units."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, model_validator

from bibulon.core.model.base import Density, Frozen, NonNegative, Positive, Share
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

    source: str = Field("", max_length=300)
    confidence: Confidence = "typical"
    low: NonNegative | None = None
    high: NonNegative | None = None


class _Named(Frozen):
    name: str = Field(min_length=1, max_length=120)
    source: str = ""
    price_per_m2: NonNegative = 0.0
    about: dict[str, About] = Field({}, description="by the name of the figure")


FabricForm = Literal["weave", "twill", "stitched", "braid", "mat", "veil", "combination"]


class Direction(Frozen):
    """A share of a fabric's fibre that lies at an angle to its roll direction; ``mat`` lies every way."""

    angle_deg: Annotated[float, Field(ge=-90, le=90)] = 0.0
    share: Annotated[float, Field(gt=0, le=1)]


class Fabric(_Named):
    """A dry ply: its compaction law V_f(p) = V_f,ref (p / p_ref)^B and permeability at V_f,ref.

    ``directions`` are where its fibres lie; empty means half along and half across, or every way
    for a mat or veil.
    """

    kind: Literal["fabric"] = "fabric"
    form: FabricForm = "stitched"
    directions: tuple[Direction, ...] = Field((), max_length=12)
    areal_mass: Positive = Field(description="kg/m2")
    fibre_density: Density = Field(2550.0, description="kg/m3")
    vf_ref: Annotated[float, Field(gt=0.01, lt=0.9)] = 0.5
    p_ref: Positive = Field(1.0e5, description="Pa")
    compaction_exponent: Annotated[float, Field(ge=0, le=0.5)] = 0.08
    k1: Positive = Field(description="m2, along the ply direction at vf_ref")
    k2: Positive = Field(description="m2, across it")
    k3: Positive = Field(description="m2, through the thickness")
    roll_width: Positive = Field(1.27, description="m")


class PorousLayer(_Named):
    """A layer given outright: thickness, porosity and permeability that nothing changes."""

    kind: Literal["porous"] = "porous"
    thickness: Positive = Field(description="m")
    porosity: Annotated[float, Field(gt=0, le=1)]
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


class Core(_Named):
    """A core sheet: plain when it has neither grooves, scores nor holes, then no resin passes it."""

    kind: Literal["core"] = "core"
    thickness: Positive
    density: Positive
    grooves: Grooves | None = None
    scores: Scores | None = None
    sheet_length: Positive = Field(1.2, description="m")
    sheet_width: Positive = Field(0.6, description="m")
    hole_diameter: NonNegative = 0.0
    hole_pitch: Positive = 0.03
    surface_uptake: NonNegative = Field(
        0.0, description="m3 of resin per m2 of cut face, both faces together"
    )
    bears: Annotated[float, Field(ge=273, le=573)] | None = Field(
        None, description="K up to which the sheet lets it be heated; None where it does not tell"
    )

    @model_validator(mode="after")
    def _fits(self) -> Core:
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
        return self


class FlowMesh(_Named):
    """Open net on top of the stack."""

    kind: Literal["mesh"] = "mesh"
    thickness: Positive
    porosity: Annotated[float, Field(gt=0, lt=1)]
    k1: Positive
    k2: Positive
    k3: Positive
    areal_mass: NonNegative = 0.0


class PeelLayer(_Named):
    """Peel ply or perforated film: holds little, resists the flow through it."""

    kind: Literal["peel"] = "peel"
    thickness: Positive
    porosity: Share
    k3: Positive
    areal_mass: NonNegative = 0.0


class SkinCoat(_Named):
    """A coat on the tool, already set when resin comes: it stays in the part and passes nothing."""

    kind: Literal["coat"] = "coat"
    thickness: Positive
    density: Density = Field(1200.0, description="kg/m3")


class TackSpray(_Named):
    """Spray that holds dry cloth: what one pass puts down, and the most that resin still takes up [kg/m²]."""

    kind: Literal["tack"] = "tack"
    areal_mass: Positive
    most: Positive = Field(0.015, description="kg/m2")


class ConstantViscosity(Frozen):
    """One viscosity at all times."""

    law: Literal["constant"] = "constant"
    value: Positive = Field(description="Pa s")


class TabulatedViscosity(Frozen):
    """Measured viscosity against time since mixing, at the temperature of the job."""

    law: Literal["table"] = "table"
    times: tuple[NonNegative, ...] = Field(min_length=2, description="s")
    values: tuple[Positive, ...] = Field(min_length=2, description="Pa s")

    @model_validator(mode="after")
    def _ordered(self) -> TabulatedViscosity:
        if len(self.times) != len(self.values):
            raise ValueError(tr("as many viscosities as times are needed"))
        if any(b <= a for a, b in zip(self.times, self.times[1:], strict=False)):
            raise ValueError(tr("the times of a viscosity table must rise"))
        return self


class KamalSourour(Frozen):
    """dα/dt = (A1 e^(−E1/RT) + A2 e^(−E2/RT) α^m)(1 − α)^n, with rates in 1/s and energies in J/mol."""

    a1: NonNegative
    e1: NonNegative
    a2: NonNegative
    e2: NonNegative
    m: Positive
    n: Positive

    @model_validator(mode="after")
    def _cures(self) -> KamalSourour:
        if self.a1 == 0 and self.a2 == 0:
            raise ValueError(tr("a cure law without any rate never cures: A1 or A2 is more than nothing"))
        return self


class CastroMacosko(Frozen):
    """μ = μ0 exp(E/RT) [α_g / (α_g − α)]^(c1 + c2 α), with the cure that drives α."""

    law: Literal["castro-macosko"] = "castro-macosko"
    mu0: Positive = Field(description="Pa s")
    energy: NonNegative = Field(description="J/mol")
    alpha_gel: Annotated[float, Field(gt=0, lt=1)]
    c1: NonNegative
    c2: float
    cure: KamalSourour


Viscosity = Annotated[ConstantViscosity | TabulatedViscosity | CastroMacosko, Field(discriminator="law")]


class DoseAt(Frozen):
    """What a sheet asks of a peroxide at a temperature [K], in parts per 100 of resin."""

    temperature: Annotated[float, Field(ge=253, le=373)]
    parts: Annotated[float, Field(gt=0, le=10)]


class Resin(_Named):
    """A resin system, mixed by weight: of two parts, or of three with an accelerator.

    ``cures`` by a hardener, in a fixed ratio, or by a peroxide, whose dose may lie anywhere in the sheet's band.
    """

    kind: Literal["resin"] = "resin"
    density: Density = Field(1100.0, description="kg/m3, mixed")
    density_b: Density = Field(1000.0, description="kg/m3, of part B")
    parts_b_per_100: NonNegative = Field(30.0, description="by weight")
    ratio_tolerance: Annotated[float, Field(gt=0, le=0.2)] = Field(0.02, description="share of the ratio")
    cures: Literal["hardener", "peroxide"] = "hardener"
    dose_low: Annotated[float, Field(gt=0, le=10)] = Field(1.0, description="parts of peroxide, at least")
    dose_high: Annotated[float, Field(gt=0, le=10)] = Field(2.5, description="parts of peroxide, at most")
    doses: tuple[DoseAt, ...] = Field((), max_length=20, description="by temperature, rising")
    accelerator_per_100: Annotated[float, Field(ge=0, le=10)] = Field(
        0.0,
        description="parts by weight that the shop stirs in; 0 where it is in the resin, or there is none",
    )
    accelerator_density: Density = Field(950.0, description="kg/m3")
    warm_limit: Annotated[float, Field(ge=283, le=393)] | None = Field(
        None, description="K up to which the sheet lets it be warmed"
    )
    filler_share: Annotated[float, Field(ge=0, lt=0.9)] = Field(
        0.0, description="of the filled resin, by weight"
    )
    filler_density: Density = Field(2700.0, description="kg/m3")
    viscosity: Viscosity
    gel_time: Annotated[float, Field(gt=0)] | None = Field(
        None, description="s in a thin part; used when the viscosity law knows no gel"
    )
    pot_life: Positive = Field(1800.0, description="s, of the largest batch in the bucket")
    largest_batch: Positive = Field(5.0, description="kg")
    mixing_time: NonNegative = Field(180.0, description="s")
    price_per_kg: NonNegative = 0.0
    heat: Annotated[float, Field(gt=0, le=1e6)] = Field(350e3, description="J/kg set free by the whole cure")
    glass_uncured: Annotated[float, Field(ge=150, le=400)] | None = Field(
        None, description="K, glass transition as mixed; None where the sheet does not tell"
    )
    glass_cured: Annotated[float, Field(ge=250, le=600)] | None = Field(None, description="K, fully cured")
    glass_lambda: Annotated[float, Field(gt=0, le=1)] = 0.45
    specific_heat: Annotated[float, Field(ge=500, le=5000)] = Field(1800.0, description="J/(kg K)")
    conductivity: Annotated[float, Field(ge=0.05, le=2)] = Field(0.2, description="W/(m K)")

    @model_validator(mode="after")
    def _holds_together(self) -> Resin:
        if self.dose_low > self.dose_high:
            raise ValueError(tr("the dose's band ends below where it begins"))
        at = [d.temperature for d in self.doses]
        if any(b <= a for a, b in pairwise(at)):
            raise ValueError(tr("the temperatures of a dose table must rise"))
        if self.filler_share and self.filler_density <= self.density:
            raise ValueError(
                tr("a filler lighter than the filled resin would make it lighter: check the densities")
            )
        return self


Material = Annotated[
    Fabric | PorousLayer | Core | FlowMesh | PeelLayer | SkinCoat | TackSpray | Resin,
    Field(discriminator="kind"),
]
