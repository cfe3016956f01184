"""The frozen record: what the core makes and hands on, and how it becomes JSON."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Self

from pydantic import (
    BaseModel,
    ConfigDict,
    PlainSerializer,
    SerializerFunctionWrapHandler,
    model_serializer,
)

from mirvo.core.measure.figure import Figure


class Record(BaseModel):
    """Something made once and never changed; unknown names are refused.

    It travels as itself. It becomes JSON only in a database column, on the command line and
    in files; names listed in `left_out_when_none` are then left out where they say nothing.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")
    left_out_when_none: ClassVar[tuple[str, ...]] = ()

    def as_kept(self) -> Self:
        """The same as it is read back where it was kept: with the digits of the contract, so that a
        figure is said alike before and after."""
        return self.model_validate_json(self.model_dump_json())

    @model_serializer(mode="wrap")
    def _without_what_says_nothing(self, whole: SerializerFunctionWrapHandler) -> dict[str, Any]:
        made: dict[str, Any] = whole(self)
        for name in self.left_out_when_none:
            if made.get(name) is None:
                made.pop(name, None)
        return made


def _rounded(digits: int) -> PlainSerializer:
    """A figure as the contract prints it, both its numbers with so many digits."""

    def as_printed(figure: Figure) -> dict[str, float]:
        return {
            "value": round(figure.value, digits),
            "plus_minus": round(figure.plus_minus, digits),
        }

    return PlainSerializer(as_printed, when_used="json")


# Figures are kept in full while they travel; the digits below are those of the contract.
OneDigit = Annotated[Figure, _rounded(1)]
TwoDigits = Annotated[Figure, _rounded(2)]
ThreeDigits = Annotated[Figure, _rounded(3)]
