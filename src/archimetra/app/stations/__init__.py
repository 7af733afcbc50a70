"""The stations in the rail, in the order people work. A page is imported and built when it is first shown, so that the
first window need not wait for all of them. A new station is one row here and one module beside it."""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from archimetra.app.session import Session
    from archimetra.app.stations.page import Page
    from archimetra.app.theme.tokens import Tokens


class Station(NamedTuple):
    """``id`` is how the rest of the program names it; the order of the rows is that of the rail."""

    id: str
    name: str
    icon: str
    tip: str
    module: str
    page: str

    def make(self, session: Session, tokens: Tokens) -> Page:
        """Its page, built."""
        made: Page = getattr(import_module(self.module, __package__), self.page)(session, tokens)
        return made


STATIONS: tuple[Station, ...] = (
    Station("board", "Board", "frame", "The sheet, zero, heights", ".board_page", "BoardPage"),
    Station("artwork", "Artwork", "vector-spline", "Bring in and place drawings", ".artwork_page", "ArtworkPage"),
    Station("cuts", "Cuts", "bit", "What is cut, with which bit", ".cuts_page", "CutsPage"),
    Station("layout", "Layout", "layout", "Parts, and how they lie on sheets", ".layout_page", "LayoutPage"),
    Station(
        "check",
        "Check",
        "circle-check",
        "What would go wrong, what is left standing, how long it takes",
        ".check_page",
        "CheckPage",
    ),
    Station("output", "Output", "file-export", "Files for the machine", ".output_page", "OutputPage"),
    Station("machine", "Machine", "router", "Zero, bounds in air, run", ".machine_page", "MachinePage"),
)


def station(id_: str) -> Station:
    return next(row for row in STATIONS if row.id == id_)
