"""Small faults put into modules one at a time, to see whether the tests that stand nearest notice.

    python bench/mutate.py src/archimetra/engine/keys.py --tests tests/engine/test_keys_say_all.py --count 30

A copy of the source is changed, never the working tree. Each fault is one of: a comparison turned, ``and`` for ``or``, a number moved, a
sign turned, a ``not`` dropped, a condition taken for granted, a part of a tuple left out. Those nobody notices are listed with
their line; the last line is the share that was noticed.
"""

from __future__ import annotations

import argparse
import ast
import copy
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parents[1]
_COMPARED = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq, ast.Is: ast.IsNot,
    ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In,
}  # fmt: skip
_SIGNS = {ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult}


class Fault(NamedTuple):
    line: int
    words: str
    source: str


def faults(source: str) -> Iterator[Fault]:
    """Every fault of a module, as the whole changed text."""
    tree = ast.parse(source)
    said = _annotations(tree)
    for number, node in enumerate(ast.walk(tree)):
        if node in said:
            continue
        for k, _ in enumerate(_changes(node)):
            other = copy.deepcopy(tree)
            there = next(n for m, n in enumerate(ast.walk(other)) if m == number)
            words = [change for change in _changes(there)][k]()
            yield Fault(getattr(node, "lineno", 0), words, ast.unparse(ast.fix_missing_locations(other)))


def _annotations(tree: ast.AST) -> set[ast.AST]:
    """What only says types: nothing runs it."""
    tops = [getattr(node, name, None) for node in ast.walk(tree) for name in ("annotation", "returns")]
    return {node for top in tops if top is not None for node in ast.walk(top)}


def _changes(node: ast.AST) -> list:
    """What can be changed about a node; each, called, does so and says what."""
    out = []

    def to(owner: ast.AST, name: str, value: object, words: str):
        def do() -> str:
            setattr(owner, name, value)
            return words

        return do

    if isinstance(node, ast.Compare):
        op = node.ops[0]
        if type(op) in _COMPARED:
            out.append(to(node, "ops", [_COMPARED[type(op)](), *node.ops[1:]], f"{type(op).__name__} turned"))
    elif isinstance(node, ast.BoolOp):
        out.append(to(node, "op", ast.Or() if isinstance(node.op, ast.And) else ast.And(), "and / or"))
    elif isinstance(node, ast.BinOp) and type(node.op) in _SIGNS:
        out.append(to(node, "op", _SIGNS[type(node.op)](), f"{type(node.op).__name__} turned"))
    elif isinstance(node, ast.Constant) and isinstance(node.value, int | float) and not isinstance(node.value, bool):
        out.append(
            to(
                node,
                "value",
                node.value + 1 if isinstance(node.value, int) else node.value * 1.5 + 0.1,
                f"{node.value} moved",
            )
        )
    elif isinstance(node, ast.If | ast.IfExp | ast.While):
        if isinstance(node.test, ast.UnaryOp) and isinstance(node.test.op, ast.Not):
            out.append(to(node, "test", node.test.operand, "not dropped"))
        else:
            out.append(to(node, "test", ast.Constant(not isinstance(node, ast.While)), "condition granted"))
    elif isinstance(node, ast.Tuple | ast.List) and isinstance(node.ctx, ast.Load) and len(node.elts) > 1:
        out += [
            to(node, "elts", node.elts[:k] + node.elts[k + 1 :], f"part {k + 1} left out")
            for k in range(len(node.elts))
        ]
    elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in ("min", "max"):
        out.append(to(node.func, "id", "max" if node.func.id == "min" else "min", f"{node.func.id} turned"))
    return out


def main() -> int:
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("modules", nargs="+")
    asked.add_argument("--tests", nargs="+", required=True)
    asked.add_argument("--count", type=int, default=20, help="faults tried, drawn at random")
    asked.add_argument("--seed", type=int, default=1)
    asked.add_argument(
        "--limit", type=float, default=300.0, help="seconds after which a fault counts as noticed: it hangs"
    )
    given = asked.parse_args()
    pool = [(module, fault) for module in given.modules for fault in faults((ROOT / module).read_text())]
    drawn = random.Random(given.seed).sample(pool, min(given.count, len(pool)))
    noticed = 0
    with tempfile.TemporaryDirectory() as there:
        shutil.copytree(ROOT / "src", Path(there) / "src", ignore=shutil.ignore_patterns("__pycache__"))
        shutil.copytree(ROOT / "tests", Path(there) / "tests", ignore=shutil.ignore_patterns("__pycache__"))
        for name in ("pyproject.toml", "docs", "README.md", "CHANGELOG.md", "dev"):
            (Path(there) / name).symlink_to(ROOT / name)
        if not _passes(there, given.tests, 3 * given.limit):
            print("the tests do not pass without a fault")
            return 2
        for module, fault in drawn:
            path = Path(there) / module
            was = path.read_text()
            path.write_text(fault.source)
            is_noticed = not _passes(there, given.tests, given.limit)
            path.write_text(was)
            noticed += is_noticed
            if not is_noticed:
                print(f"unnoticed: {module}:{fault.line} {fault.words}", flush=True)
    print(f"{noticed} of {len(drawn)} faults noticed ({len(pool)} there are)")
    return 0


def _passes(there: str, tests: list[str], limit: float) -> bool:
    environment = {
        **os.environ,
        "PYTHONPATH": f"{there}/src",
        "PYTHONDONTWRITEBYTECODE": "1",
        "QT_QPA_PLATFORM": "offscreen",
    }
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:randomly", "-p", "no:cacheprovider", *tests]
    try:
        done = subprocess.run(command, cwd=there, env=environment, capture_output=True, timeout=limit)
    except subprocess.TimeoutExpired:
        return False
    return done.returncode == 0


if __name__ == "__main__":
    sys.exit(main())
