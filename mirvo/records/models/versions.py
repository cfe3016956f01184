"""How often what a tree's figures rest on has changed."""

from sqlalchemy.orm import Mapped, mapped_column

from mirvo.records.models.base import Table


class StateVersion(Table):
    """A count that triggers raise, see `mirvo.records.versions`.

    tree_id : the tree's number, or one of the scopes that are no tree's. A count outlives its tree,
    so that the sum of all only ever grows.
    """

    __tablename__ = "state_versions"
    tree_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    version: Mapped[int]
