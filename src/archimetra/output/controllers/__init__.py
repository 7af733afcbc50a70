"""Controllers: what each kind of machine control wants in its files. Data, one TOML file each."""

from archimetra.output.controllers.profile import Arcs, Controller, FileUnit, LineEnding, Spindle
from archimetra.output.controllers.shelf import controller, controllers

__all__ = ["Arcs", "Controller", "FileUnit", "LineEnding", "Spindle", "controller", "controllers"]
