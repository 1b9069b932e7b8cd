"""The figures of every kind of material: names, quantities, how they are read and written one by one."""

from __future__ import annotations

import re
from typing import Any, get_args

import msgspec
from msgspec import Struct

from bibulon.core.model.base import checked
from bibulon.core.model.invalid import Invalid
from bibulon.core.model.materials import About, Confidence, FabricForm, Material
from bibulon.core.units.units import QUANTITIES, System, UnitError, parse, show
from bibulon.core.units.words import tr

__all__ = ["CONFIDENCES", "KINDS", "PROPERTIES", "Property", "about", "set_about", "set_text", "text_of"]

KINDS = {
    "fabric": "Fabrics", "porous": "Layers given outright", "core": "Cores", "peel": "Peel ply and film",
    "mesh": "Flow meshes", "coat": "Skin coats", "tack": "Tack sprays", "resin": "Resins",
}  # fmt: skip
CONFIDENCES: tuple[str, ...] = get_args(Confidence)


class Property(Struct, frozen=True):
    """One figure: its path in the model, what people call it, its quantity or its choices.

    An ``optional`` one may be empty; emptied, what it belongs to is taken away.
    """

    path: str
    label: str
    quantity: str = "number"
    choices: tuple[str, ...] = ()
    optional: bool = False


def _k(number: int, words: str) -> Property:
    return Property(f"k{number}", tr("permeability K{0}, {1}", number, words), "permeability")


_PRICE = Property("price_per_m2", "price a m²", "money")
_FABRIC = (
    Property("form", "form", choices=get_args(FabricForm)),
    Property("directions", "fibre by angle", "directions", optional=True),
    Property("areal_mass", "areal mass", "areal mass"),
    Property("fibre_density", "fibre density", "density"),
    Property("vf_ref", "fibre by volume V_f, at", "share"),
    Property("p_ref", "… this pressure", "pressure"),
    Property("compaction_exponent", "compaction exponent B"),
    _k(1, "along"), _k(2, "across"), _k(3, "through"),
    Property("roll_width", "roll width", "length"),
    _PRICE,
)  # fmt: skip
_NET = (
    Property("thickness", "thickness", "thickness"), Property("porosity", "porosity", "share"),
    _k(1, "along"), _k(2, "across"), _k(3, "through"), Property("areal_mass", "areal mass", "areal mass"), _PRICE,
)  # fmt: skip
PROPERTIES: dict[str, tuple[Property, ...]] = {
    "fabric": _FABRIC,
    "porous": _NET,
    "mesh": _NET,
    "core": (
        Property("thickness", "thickness", "thickness"),
        Property("density", "density", "density"),
        Property("grooves.width", "groove width", "thickness", optional=True),
        Property("grooves.depth", "groove depth", "thickness", optional=True),
        Property("grooves.pitch", "groove pitch", "length", optional=True),
        Property("scores.ways", "scored, ways", choices=("1", "2"), optional=True),
        Property("scores.width", "score width", "thickness", optional=True),
        Property("scores.depth", "score depth", "thickness", optional=True),
        Property("scores.pitch", "score pitch", "length", optional=True),
        Property("hole_diameter", "hole size", "thickness"),
        Property("hole_pitch", "hole pitch", "length"),
        Property("surface_uptake", "resin on cut faces", "uptake"),
        Property("bears", "bears up to", "temperature", optional=True),
        Property("sheet_length", "sheet length", "length"),
        Property("sheet_width", "sheet width", "length"),
        _PRICE,
    ),
    "peel": (
        Property("thickness", "thickness", "thickness"), Property("porosity", "open share", "share"),
        _k(3, "through"), Property("areal_mass", "areal mass", "areal mass"), _PRICE,
    ),
    "coat": (Property("thickness", "thickness", "thickness"), Property("density", "density", "density"), _PRICE),
    "tack": (
        Property("areal_mass", "one pass puts down", "areal mass"),
        Property("most", "most that resin takes up", "areal mass"), _PRICE,
    ),
    "resin": (
        Property("density", "density, mixed", "density"),
        Property("density_b", "density of part B", "density"),
        Property("parts_b_per_100", "part B to 100 of part A"),
        Property("ratio_tolerance", "ratio may be off by", "share"),
        Property("cures", "cures by", choices=("hardener", "peroxide")),
        Property("dose_low", "peroxide to 100, at least"),
        Property("dose_high", "peroxide to 100, at most"),
        Property("accelerator_per_100", "accelerator to 100, stirred in"),
        Property("accelerator_density", "density of the accelerator", "density"),
        Property("warm_limit", "may be warmed to", "temperature", optional=True),
        Property("filler_share", "filler, by weight", "share"),
        Property("filler_density", "density of the filler", "density"),
        Property("heat", "heat of the whole cure, J/kg"),
        Property("specific_heat", "specific heat, J/(kg K)"),
        Property("conductivity", "conductivity, W/(m K)"),
        Property("glass_uncured", "glass transition as mixed", "temperature", optional=True),
        Property("glass_cured", "glass transition, cured", "temperature", optional=True),
        Property("glass_lambda", "its lambda (DiBenedetto)"),
        Property("gel_time", "gel time of a thin part", "time", optional=True),
        Property("pot_life", "pot life", "time"),
        Property("largest_batch", "largest batch", "mass"),
        Property("mixing_time", "mixing time", "time"),
        Property("price_per_kg", "price a kg", "money"),
    ),
}  # fmt: skip

# What a group starts from when its first figure is typed.
_GROUPS: dict[str, dict[str, Any]] = {
    "grooves": {"width": 0.001, "depth": 0.001, "pitch": 0.03},
    "scores": {"ways": 2, "width": 0.001, "depth": 0.001, "pitch": 0.03},
}


def _value(material: Material, path: str) -> Any:
    value: Any = material
    for name in path.split("."):
        value = getattr(value, name, None)
        if value is None:
            return None
    return value


def text_of(material: Material, prop: Property, system: System = "metric") -> str:
    """Return a figure as people read it; empty where it is not there."""
    value = _value(material, prop.path)
    if value is None:
        return ""
    if prop.quantity == "directions":
        return ", ".join(f"{d.angle_deg:g}°: {d.share * 100:g} %" for d in value)
    if prop.choices:
        return str(value)
    if prop.quantity == "number":
        return f"{value:g}"
    return show(value, prop.quantity, system)


def set_text(material: Material, prop: Property, text: str, system: System = "metric") -> Material:
    """Return a material with one figure as it was typed.

    Raises
    ------
    ValueError : when it is no such figure, or the material cannot be so.
    """
    text = text.strip()
    data = msgspec.to_builtins(material)
    group, _, name = prop.path.rpartition(".")
    if not text and prop.optional:
        value: Any = () if prop.quantity == "directions" else None
    elif prop.quantity == "directions":
        value = _directions(text)
    elif prop.choices:
        if text not in prop.choices:
            raise ValueError(tr("{0} is one of {1}.", prop.label.capitalize(), ", ".join(prop.choices)))
        value = int(text) if text.isdigit() else text
    else:
        value = parse(text, prop.quantity, system)
    if group:
        if value is None:
            data[group] = None
        else:
            data[group] = {**(data[group] or _GROUPS[group]), name: value}
    else:
        data[name] = value
    return _checked(data, prop, system)


def _checked(data: dict[str, Any], prop: Property, system: System) -> Material:
    try:
        return checked(Material, data)
    except Invalid as error:
        fault, label = error.faults[0], prop.label
        own = (
            prop.quantity != "number"
            and prop.quantity in QUANTITIES
            and fault.place == tuple(prop.path.split("."))
        )
        told = fault.told(lambda x: show(x, prop.quantity, system)) if own else str(fault)
        raise ValueError(f"{label[:1].upper()}{label[1:]}: {told}.") from error


def _directions(text: str) -> list[dict[str, float]]:
    """Read "45: 50 %, -45: 50 %"."""
    out = []
    for word in re.split(r"[,;]\s*(?=[-+−\d])", text):
        angle, _, share = word.partition(":")
        try:
            degrees = parse(angle.replace("−", "-"), "angle")
            part = parse(share if "%" in share else f"{share} %", "share")
        except UnitError as error:
            raise ValueError(
                tr("Fibre by angle reads like “45: 50 %, -45: 50 %”; “{}” does not.", word.strip())
            ) from error
        out.append({"angle_deg": degrees, "share": part})
    if abs(sum(d["share"] for d in out) - 1) > 0.01:
        raise ValueError(
            tr("The shares of fibre add up to {:.0f} %, not 100 %.", sum(d["share"] for d in out) * 100)
        )
    return out


def about(material: Material, prop: Property) -> About:
    """Return where a figure comes from."""
    return material.about.get(prop.path, About(source=material.source))


def set_about(material: Material, prop: Property, told: About) -> Material:
    """Return a material with the source and confidence of one figure."""
    return material.replaced(about={**material.about, prop.path: told})
