"""What every part of a job document has in common: frozen, checked, no unknown fields.

These modules do not put annotations off: they are read whenever a class is first checked, and as text each would be compiled
at every start.
"""

import sys
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Self, TypeVar, dataclass_transform

from msgspec import Meta, Struct, StructMeta, ValidationError, convert

from bibulon.core.model.invalid import Invalid

__all__ = [
    "Coordinate",
    "Density",
    "Finite",
    "Frozen",
    "Id",
    "NonNegative",
    "Point",
    "Positive",
    "Share",
    "checked",
    "said",
]

MOST = sys.float_info.max  # no figure of a document is infinite, and none is no number

Finite = Annotated[float, Meta(ge=-MOST, le=MOST)]
Positive = Annotated[float, Meta(gt=0, le=MOST)]
NonNegative = Annotated[float, Meta(ge=0, le=MOST)]
Share = Annotated[float, Meta(ge=0, le=1)]
Density = Annotated[float, Meta(ge=500, le=5000)]  # kg/m3, of fibres and resins
Coordinate = Annotated[float, Meta(ge=-1e4, le=1e4)]
Point = tuple[Coordinate, Coordinate]
Id = Annotated[str, Meta(min_length=1, max_length=64, pattern=r"^[A-Za-z0-9_.-]+$")]

_T = TypeVar("_T")


def said(text: str) -> Meta:
    """Say of a field what it is, in the schema."""
    return Meta(description=text)


def checked(kind: type[_T] | Any, value: Any) -> _T:
    """Return a value as one of a kind, out of plain objects such as JSON gives, its parts that are made already kept.

    Raises
    ------
    Invalid : when it cannot be one.
    """
    try:
        return convert(value, kind)
    except ValidationError as error:
        from bibulon.core.model.faults import faults_of, plain_numbers

        plain = plain_numbers(value)
        if found := tuple(faults_of(kind, plain)):
            raise Invalid(found) from error
        return convert(plain, kind)


if TYPE_CHECKING:

    @dataclass_transform(frozen_default=True, kw_only_default=True)
    class _Checked:
        """What a type checker is to know: values never change, and are made by the names of their fields."""

        __struct_fields__: ClassVar[tuple[str, ...]]

        def __init_subclass__(cls, *, tag_field: str = "", tag: str = "") -> None: ...

else:

    class _Checks(StructMeta):
        """Calling a class makes a value of it that was checked as one that is read from a file is."""

        def __new__(mcls, name: str, bases: tuple[type, ...], namespace: dict[str, Any], **how: Any) -> Any:
            """Return a class whose values never change, are made by the names of their fields, and have no others."""
            how = {"frozen": True, "kw_only": True, "forbid_unknown_fields": True, **how}
            return super().__new__(mcls, name, bases, namespace, **how)

        def __call__(cls, *args: Any, **fields: Any) -> Any:
            """Return a value; its fields by name, or all in order as a pickle has them."""
            return super().__call__(*args) if args else checked(cls, fields)

    class _Checked(Struct, metaclass=_Checks):
        """What checks itself."""


class Frozen(_Checked):
    """An immutable value; a field that the format does not know is refused, not dropped."""

    def replaced(self, **fields: Any) -> Self:
        """Return this value with some fields replaced, checked as when it is made.

        Raises
        ------
        Invalid : when a field is not known, or the result is no valid value.
        """
        return checked(type(self), {name: getattr(self, name) for name in self.__struct_fields__} | fields)
