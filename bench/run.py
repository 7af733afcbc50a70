"""All benchmarks as one table of ratios: ``./dev bench [word ...]`` runs those whose function name holds a word.

Exit code 1 where something misses what it must reach.
"""

from __future__ import annotations

import sys

import artwork_rows
import carve_rows
import core_rows
import cut_rows
import machine_rows
import nest_rows
import seeing_rows
import setup_rows
import window_rows
from rows import Row, print_table


def main(words: list[str]) -> int:
    rows: list[Row] = []
    for make in (
        *core_rows.ROWS,
        *cut_rows.ROWS,
        *carve_rows.ROWS,
        *artwork_rows.ROWS,
        *nest_rows.ROWS,
        *machine_rows.ROWS,
        *setup_rows.ROWS,
        *seeing_rows.ROWS,
        *window_rows.ROWS,
    ):
        if words and not any(word in make.__name__ for word in words):
            continue
        print(f"bench: {make.__name__}", file=sys.stderr, flush=True)
        rows.extend(make())
    print_table(rows)
    return 0 if all(row.is_reached for row in rows) else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
