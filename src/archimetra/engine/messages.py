"""What the window's side and the worker processes say to each other, and the results that travel.

Light to import: nothing here computes. Requests go to a worker, events come back.
"""

from __future__ import annotations

from math import inf

import msgspec

from archimetra.artwork.drawing import Drawing
from archimetra.artwork.trace_settings import TraceSettings
from archimetra.base.findings import Finding
from archimetra.engine.sharing import Shared
from archimetra.geometry.arrays import AnyArray, FloatArray, IntArray
from archimetra.job.bits import Bit
from archimetra.job.ids import PartId
from archimetra.job.job import Board, Job
from archimetra.job.setups import Setup, TurnedAbout
from archimetra.job.sheet import Sheet
from archimetra.layout.nest.answer import Nested
from archimetra.layout.tiles.answer import Seam, Shift
from archimetra.output.controllers.profile import Controller
from archimetra.output.gcode_file import GcodeFile
from archimetra.output.times import RunTimes
from archimetra.stock.mate_results import Mate, MateSection
from archimetra.stock.standing_results import Left
from archimetra.stock.viewpoint import Around, View
from archimetra.toolpath.shared.front import FrontFace
from archimetra.toolpath.shared.moves import Toolpath
from archimetra.toolpath.shared.program import Run


class PlannedCut(msgspec.Struct, frozen=True, eq=False):
    key: str
    toolpath: Toolpath
    findings: tuple[Finding, ...]


class BoardPlan(msgspec.Struct, frozen=True, eq=False):
    """Everything computed for a board except its stock. ``run_key`` is that of its moves and times, and so of its stock. ``setups`` are those its blocks
    number, one for each tile, with the ``seams`` between them; ``shifts`` the places found for pins."""

    board: str
    key: str
    run_key: str
    cuts: tuple[PlannedCut, ...]
    run: Run
    times: RunTimes
    findings: tuple[Finding, ...]
    setups: tuple[Setup, ...] = ()
    seams: tuple[Seam, ...] = ()
    shifts: tuple[Shift, ...] = ()
    front: FrontFace | None = None
    parts: bytes = (
        b""  # as WKB what of the sheet stays once all that is cut free has fallen away; empty where nothing is
    )
    shared: Shared | None = None  # the same, for other processes to look into


# ---- requests


class PlanRequest(msgspec.Struct, frozen=True, eq=False):
    """Plan one board. ``job`` carries bits and machine only; ``board`` only the shapes its cuts take; ``front`` likewise, of a board that is
    a back. A quiet one is for a board that is not looked at: how far it is is not said."""

    number: int
    job: Job
    board: Board
    front: Board | None = None
    is_quiet: bool = False


class StockRequest(msgspec.Struct, frozen=True, eq=False):
    """Build the stock of a plan's run and show it. Of a back the plan has the front, and ``about`` says how it was turned over."""

    key: str
    sheet: Sheet
    plan: Shared
    bits: tuple[Bit, ...]
    about: TurnedAbout | None = None


class MomentRequest(msgspec.Struct, frozen=True, eq=False):
    """Bring the stock to a moment and cut a section along a line there. With ``drops_offcuts`` what is no part is gone once the run is done."""

    seconds: float
    line: tuple[tuple[float, float], tuple[float, float]]
    samples: int
    drops_offcuts: bool = False


LEVELS = 4  # pictures of the plan: the finest, and those half, a quarter, an eighth as fine


def picture_levels(shape: tuple[int, int]) -> list[tuple[tuple[int, int], int]]:
    """Rows and columns of the plan's pictures, and where in the memory for them each begins, bytes."""
    out, offset = [], 0
    for k in range(LEVELS):
        ny, nx = max(shape[0] >> k, 1), max(shape[1] >> k, 1)
        out.append(((ny, nx), offset))
        offset += 4 * ny * nx
    return out


MOST_PICTURE = 2_400_000
"""Pixels of the largest tilted picture; a larger window shows it enlarged."""


class TiltRequest(msgspec.Struct, frozen=True, eq=False):
    """Draw the stock as it is shown now from ``view``, ``size`` (width, height) pixels; with ``is_fine`` smooth, else quick. With ``is_over`` the
    sheet is seen from its other face, turned over sideways. ``background`` is 0xffRRGGBB."""

    number: int
    view: View
    size: tuple[int, int]
    is_fine: bool
    around: Around
    background: int
    is_over: bool = False


class CloserRequest(msgspec.Struct, frozen=True, eq=False):
    """Draw what of the stock lies within ``box`` (mm) in cells of ``cell`` mm."""

    number: int
    box: tuple[float, float, float, float]
    cell: float


class ThumbRequest(msgspec.Struct, frozen=True, eq=False):
    """A small picture of a board's finished stock, as in a stock request, ``width`` pixels at most."""

    board: str
    stock: StockRequest
    width: int


class ArtworkRequest(msgspec.Struct, frozen=True):
    """Read artwork: a file, or bytes that have been read before (or pasted) under a name. ``page`` is that of a PDF,
    ``trace`` how a picture is traced; ``mm_per_unit`` above 0 keeps a size chosen before, ``width_mm`` the width a picture has inside a drawing."""

    number: int
    path: str = ""
    data: bytes = b""
    name: str = ""
    page: int = 1
    trace: TraceSettings = TraceSettings()
    mm_per_unit: float = 0.0
    width_mm: float = 0.0


class FilesRequest(msgspec.Struct, frozen=True, eq=False):
    """Make a board's G-code files for a controller; ``job`` and ``board`` as in a plan request."""

    key: str
    job: Job
    board: Board
    plan: Shared
    profile: Controller
    called: tuple[str, int]


class FilesTrial(FilesRequest, frozen=True, eq=False):
    """The same to look at while a controller is changed: nobody waits to write them."""


class ProgramRequest(msgspec.Struct, frozen=True, eq=False):
    """Read a program of anybody's and lay it on a board; ``job`` and ``board`` as in a plan request. ``bit`` is the one it is shown with where it
    names none."""

    number: int
    path: str
    job: Job
    board: Board
    setup: Setup | None = None
    bit: str = ""


class DifferRequest(msgspec.Struct, frozen=True, eq=False):
    """Compare two programs by what they do: each a path, or a text under a name."""

    number: int
    first: tuple[str, str]
    second: tuple[str, str]


class MateRequest(msgspec.Struct, frozen=True, eq=False):
    """Lay an inlay's plug into its pocket, both as cut. ``job`` carries bits, machine, inlays and the two boards, each with the
    shapes its cuts take; ``key`` names this state of them. The section is along a line of the pocket board."""

    number: int
    key: str
    job: Job
    inlay: str
    line: tuple[tuple[float, float], tuple[float, float]]
    samples: int


class StandingRequest(msgspec.Struct, frozen=True, eq=False):
    """Measure what a planned board leaves standing, when nothing else is to be done; ``job`` and ``board`` as in a plan request."""

    number: int
    job: Job
    board: Board
    plan: Shared
    key: str


class TrialRequest(msgspec.Struct, frozen=True, eq=False):
    """Plan a cut in several versions of its board, each with the job it is of; both as in a plan request."""

    number: int
    cut: str
    jobs: tuple[Job, ...]
    boards: tuple[Board, ...]


class CompareRequest(msgspec.Struct, frozen=True, eq=False):
    """Plan one V-carve with each of some bits; ``job`` and ``board`` as in a plan request."""

    number: int
    job: Job
    board: Board
    cut: str
    bits: tuple[str, ...]


# ---- events


class PlanMade(msgspec.Struct, frozen=True, eq=False):
    """A ``BoardPlan``, packed."""

    plan: Shared


class GettingReady(msgspec.Struct, frozen=True):
    """The planner compiles what it calculates with, as it does once on a machine; ``share`` 1 when done."""

    share: float


class PlanProgress(msgspec.Struct, frozen=True):
    board: str
    cut: int
    count: int
    share: float


class QuietDropped(msgspec.Struct, frozen=True):
    """What was to be done while nothing else was has given way to something more urgent. It may be asked for again."""

    board: str


class StockReady(msgspec.Struct, frozen=True):
    key: str
    shape: tuple[int, int]
    cell: float
    duration: float


class Moment(msgspec.Struct, frozen=True, eq=False):
    """The stock stands at ``seconds``; ``box`` are the cells (x0, y0, x1, y1) repainted, None for none."""

    key: str
    seconds: float
    box: tuple[int, int, int, int] | None
    line: tuple[tuple[float, float], tuple[float, float]]
    heights: FloatArray
    hollow: FloatArray  # (2, n): bottom and top of what is hollowed out under wood, nan where nothing is
    under: FloatArray | None = (
        None  # (n,): the wood's underside where the other face has been cut; None for the sheet's own
    )


class Tilted(msgspec.Struct, frozen=True):
    """The picture asked for lies in the engine's ``pictures``, from ``offset`` on."""

    number: int
    offset: int
    size: tuple[int, int]
    is_fine: bool


class NothingDrawn(msgspec.Struct, frozen=True):
    """There is no stock to draw a picture of yet; its moment, when it comes, asks anew."""


class Closer(msgspec.Struct, frozen=True, eq=False):
    """Part of the stock in fine cells: ``pixels`` (ny, nx) uint32 over ``extent`` (x0, y0, x1, y1), mm."""

    number: int
    key: str
    seconds: float
    extent: tuple[float, float, float, float]
    pixels: AnyArray


class Thumb(msgspec.Struct, frozen=True, eq=False):
    """A board's finished stock, (ny, nx) uint32, for the run of that key."""

    board: str
    key: str
    pixels: AnyArray


class ArtworkRead(msgspec.Struct, frozen=True, eq=False):
    """A drawing, or None with the sentence that says why not; ``data`` are the file's bytes. Of a picture: its size in
    mm, and the colour and share of each tone from dark to light."""

    number: int
    name: str
    data: bytes
    drawing: Drawing | None
    problem: str
    path: str = ""
    picture_mm: tuple[float, float] | None = None
    tones: tuple[tuple[str, float], ...] = ()


class MateMade(msgspec.Struct, frozen=True, eq=False):
    """The mate as measured and its section along ``line``; or None with the sentence that says why not."""

    key: str
    inlay: str
    line: tuple[tuple[float, float], tuple[float, float]]
    mate: Mate | None
    section: MateSection | None
    problem: str = ""


class StandingMade(msgspec.Struct, frozen=True, eq=False):
    """What the plan of that key leaves standing, by cut, the most first."""

    board: str
    key: str
    left: tuple[Left, ...]


class BitTrial(msgspec.Struct, frozen=True):
    """What one bit makes of a V-carve: how deep it goes, what it leaves (the words of findings), how long it takes."""

    bit: str
    deepest: float
    seconds: float
    leaves: tuple[str, ...]


class Trial(msgspec.Struct, frozen=True, eq=False):
    """A cut in one version: seconds of it and of the whole board; how deep it goes, mm; how much it takes, cm3/min; how much it leaves standing, mm2,
    and how high; the words of what is told of it; a picture, (ny, nx) uint32, and the depths in mm it shows, (ny, nx)."""

    seconds: float
    total: float
    deepest: float
    rate: float
    left_area: float
    left_height: float
    told: tuple[str, ...]
    picture: AnyArray
    depths: AnyArray


class TrialsMade(msgspec.Struct, frozen=True, eq=False):
    cut: str
    trials: tuple[Trial, ...]


class BitsCompared(msgspec.Struct, frozen=True):
    board: str
    cut: str
    trials: tuple[BitTrial, ...]


class FilesMade(msgspec.Struct, frozen=True, eq=False):
    """``problem`` says in a sentence why there are none, of a trial."""

    key: str
    files: tuple[GcodeFile, ...]
    problem: str = ""


class Program(msgspec.Struct, frozen=True, eq=False):
    """A program on a board: ``plan`` is its run, with what is told of it; ``letters`` (n,) uint8 its text, ``ends`` where its lines end, ``widest`` the
    letters of the longest, ``bits`` the number among the job's bits of the one that is in in each, -1 where nothing moves; ``lines`` the line, from
    1, of each row of the run. One that is not ``is_whole`` is the beginning of a long one, whose whole follows."""

    name: str
    plan: BoardPlan
    letters: AnyArray
    ends: IntArray
    widest: int
    bits: AnyArray
    lines: IntArray
    summary: tuple[str, ...]
    is_whole: bool
    names_bits: bool


class ProgramRead(msgspec.Struct, frozen=True, eq=False):
    """``packed`` holds a ``Program``, which comes to the window as ``program``; without one ``problem`` says why there is none."""

    number: int
    board: str
    path: str
    packed: Shared | None
    problem: str = ""
    program: Program | None = None


class Differs(msgspec.Struct, frozen=True):
    """Lines of two programs (0: none) and in what they differ there; ``problem`` where they could not be compared."""

    number: int
    name: str
    found: tuple[tuple[int, int, str], ...]
    problem: str = ""


class WorkerFailed(msgspec.Struct, frozen=True):
    """A worker met a fault of ours (``sentence``) or died; it has been started again. ``files_key`` names the files that
    will not come because of it."""

    sentence: str
    detail: str
    files_key: str = ""


Event = (
    GettingReady
    | BoardPlan
    | PlanProgress
    | QuietDropped
    | StockReady
    | Moment
    | Tilted
    | NothingDrawn
    | Closer
    | Thumb
    | ArtworkRead
    | FilesMade
    | ProgramRead
    | Differs
    | MateMade
    | BitsCompared
    | StandingMade
    | TrialsMade
    | WorkerFailed
)


# ---- nesting


class NestSettings(msgspec.Struct, frozen=True):
    """``spacing`` between parts, None for what is proposed, and ``margin`` to sheets' edges, mm. A run ends when its ``work`` is done (places
    looked at), or when it is stopped. With ``shares_edges`` parts may lie one bit apart, and what runs along both is cut once."""

    spacing: float | None = None
    margin: float = 10.0
    seed: int = 1
    work: float = inf
    shares_edges: bool = False


class NestBetter(msgspec.Struct, frozen=True, eq=False):
    """A layout better than those before: ``nested`` by the numbers of ``parts`` and of the run's boards, and the spacing it keeps."""

    number: int
    nested: Nested
    parts: tuple[PartId, ...]
    spacing: float


class NestDone(msgspec.Struct, frozen=True):
    """The end of a run; ``problem`` is a sentence where nothing could be nested."""

    number: int
    problem: str
