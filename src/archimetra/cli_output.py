"""Commands about what goes to the machine: controllers."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any


def add_parsers(commands: Any) -> None:
    controllers = commands.add_parser(
        "controllers", help="list the controllers there are; check, add, show or remove one"
    )
    what = controllers.add_mutually_exclusive_group()
    what.add_argument("--check", type=Path, metavar="TOML", help="tell what is wrong in a controller's file")
    what.add_argument("--add", type=Path, metavar="TOML", help="keep a controller, for every job")
    what.add_argument("--show", metavar="NAME", help="print the file of a controller, to be changed and added")
    what.add_argument("--remove", metavar="NAME", help="forget one that was added")


def controllers(options: argparse.Namespace) -> int:
    """``archimetra controllers``."""
    from archimetra.output.controllers import controller
    from archimetra.output.controllers import controllers as known
    from archimetra.output.controllers.profile import as_toml
    from archimetra.output.controllers.shelf import drop, keep, own, read

    if options.check or options.add:
        profile = read(options.check or options.add)
        if options.add:
            keep(profile)
        print(f"{profile.name}: {profile.title}")
        return 0
    if options.show:
        print(as_toml(controller(options.show)), end="")
        return 0
    mine, problems = own()
    if options.remove:
        if options.remove not in mine:
            print(f"archimetra: no controller of your own is named '{options.remove}'.", file=sys.stderr)
            return 1
        drop(options.remove)
        return 0
    for name, profile in known().items():
        print(f"{name:20} {profile.title}{', your own' if name in mine else ''}")
    for problem in problems:
        print(f"archimetra: {problem}", file=sys.stderr)
    return 1 if problems else 0
