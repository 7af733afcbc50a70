"""``python -m archimetra``: the same as the command ``archimetra``."""

from __future__ import annotations

import sys

from archimetra.cli import main

if __name__ == "__main__":
    sys.exit(main())
