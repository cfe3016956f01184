"""An application that declares as much as Mirvo does and does nothing: what a start costs at least.

Routes that each take a number and a form, made of models with so many fields each; records of so
many parts; tables of so many columns. It loads the libraries Mirvo loads at its start and nothing
of Mirvo's.
"""

from __future__ import annotations

from dataclasses import make_dataclass
from typing import Annotated, Any

import argon2  # noqa: F401 # what a server needs, as all that are not used here
import filelock  # noqa: F401
import jinja2  # noqa: F401
import numpy  # noqa: F401
import pebble  # noqa: F401
import PIL.Image  # noqa: F401
import pydantic_settings  # noqa: F401
import shapely  # noqa: F401
import sqlalchemy.dialects.sqlite  # noqa: F401
import uvicorn  # noqa: F401
import yaml  # noqa: F401
from fastapi import Depends, FastAPI, Form
from pydantic import create_model
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """The tables' own."""


def given() -> None:
    """What every route asks for first."""


def declare(
    routes: int, models: int, fields: int, records: int, parts: int, tables: int, columns: int
) -> FastAPI:
    app = FastAPI(docs_url=None, redoc_url=None, openapi_url=None)
    kinds: dict[str, Any] = {f"field_{number}": (float | None, None) for number in range(fields)}
    forms = [create_model(f"Form{number}", **kinds) for number in range(models)]
    named = [(f"part_{number}", float) for number in range(parts)]
    for number in range(records):
        make_dataclass(f"Record{number}", named, frozen=True)
    for number in range(tables):
        held = {f"column_{one}": Mapped[float | None] for one in range(columns - 1)}
        body = {"__tablename__": f"table_{number}", "id": mapped_column(primary_key=True)}
        type(f"Table{number}", (Base,), body | {"__annotations__": {"id": Mapped[int], **held}})
    for number in range(routes):
        app.post(f"/place-{number}/{{row}}")(_route(forms[number % len(forms)]))
    return app


def _route(form: Any) -> Any:
    def answer(row: int, sent: Any, first: None = None) -> dict[str, int]:
        return {"row": row}

    answer.__annotations__ = {
        "row": int,
        "sent": Annotated[form, Form()],
        "first": Annotated[None, Depends(given)],
        "return": dict[str, int],
    }
    return answer
