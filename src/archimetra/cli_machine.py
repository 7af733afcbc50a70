"""Commands about the machine: the stand-in."""

from __future__ import annotations

import argparse
from typing import Any


def add_parsers(commands: Any) -> None:
    standin = commands.add_parser(
        "stand-in", help="a machine that is not there, to try everything without one: speaks as a control does"
    )
    standin.add_argument(
        "--tcp",
        type=int,
        metavar="PORT",
        help="on a port of this computer (0: any free one); a pseudo-terminal without",
    )
    standin.add_argument("--host", default="127.0.0.1", help="whom the port is open to; this computer alone by default")
    standin.add_argument("--travel", default="610x610x90", metavar="XxYxZ", help="mm")
    standin.add_argument(
        "--speed", type=float, default=1.0, metavar="TIMES", help="time passes so many times faster for it"
    )
    standin.add_argument("--unlocked", action="store_true", help="it need not be homed first")


def stand_in(options: argparse.Namespace) -> int:
    """``archimetra stand-in``."""
    from archimetra.cli_job import UsageError
    from archimetra.job.quantities import QuantityError, parse_number
    from archimetra.machine.standin.controller import Build, StandIn
    from archimetra.machine.standin.server import Served

    try:
        x, y, z = (parse_number(part) for part in options.travel.split("x"))
    except (QuantityError, ValueError) as error:
        raise UsageError(f"--travel {options.travel} is no travel; write 610x610x90.") from error
    if min(x, y, z) <= 0 or not 0 < options.speed <= 1000:
        raise UsageError("A machine travels some way, and time passes 0 to 1000 times as fast.")
    if options.tcp is not None and not 0 <= options.tcp <= 65535:
        raise UsageError("--tcp is a port, 0 to 65535.")
    build = Build(travel=(x, y, z), needs_home=not options.unlocked, plate=-z * 0.7)
    with Served(StandIn(build), port=options.tcp, host=options.host, speed=options.speed) as served:
        print(served.address, flush=True)
        served.wait()
    return 0
