"""``Session``: the document of a window joined with the engine's processes, and what its parts ask of each other.

Work runs in the engine's processes; their events come back over a queued signal and go to the part that asked.
"""

from __future__ import annotations

import contextlib
import logging
from collections.abc import Callable
from pathlib import Path as FilePath
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QObject, Qt, Signal

from archimetra.app.session.at_machine import AtMachine
from archimetra.app.session.document import Document
from archimetra.app.session.imports import Imports
from archimetra.app.session.nesting import Nesting
from archimetra.app.session.planning import Planning
from archimetra.app.session.playhead import Playhead
from archimetra.app.session.programs import Programs
from archimetra.app.session.seeing import Seeing
from archimetra.artwork.drawing import DrawnLayer
from archimetra.base.findings import Finding
from archimetra.checks.among_boards import all_found
from archimetra.checks.quieting import told
from archimetra.edits import basic as edits
from archimetra.edits import copying, placing
from archimetra.edits.copying import Clip
from archimetra.engine.messages import (
    ArtworkRead,
    BitsCompared,
    BoardPlan,
    Closer,
    Differs,
    FilesMade,
    GettingReady,
    MateMade,
    Moment,
    NothingDrawn,
    PlanProgress,
    ProgramRead,
    QuietDropped,
    StandingMade,
    StockReady,
    Thumb,
    Tilted,
    TrialsMade,
    WorkerFailed,
)
from archimetra.geometry.affine import Affine
from archimetra.geometry.path import Path
from archimetra.job.ids import BoardId, PartId, ShapeId
from archimetra.layout.nest.answer import Placement

if TYPE_CHECKING:
    from archimetra.engine.autosave import Autosave
    from archimetra.engine.client import Engine

log = logging.getLogger("archimetra")


class AutosaveTold(NamedTuple):
    """Why work in progress cannot be kept aside; '' once it can."""

    problem: str


class Session(Document):
    mate_made = Signal(object)  # MateMade
    bits_compared = Signal(object)  # BitsCompared
    files_tried = Signal(object)  # FilesMade, whoever asked
    trials_made = Signal(object)  # TrialsMade
    autosave_changed = Signal()  # it works, or no longer works
    said = Signal(str, str)  # kind ("note", "caution", "stop") and a sentence
    # what one part of the window asks of another
    demo_wanted = Signal()
    cut_menu_wanted = Signal(object, object)  # the cut, and the place on the screen
    grid_wanted = Signal(float)  # mm between the points of the grid, 0 for none
    fitted_changed = Signal()
    place_wanted = Signal(object)  # a Finding, or something else with ``at`` and ``subject``: to be shown in all views
    left_shown = Signal(object)  # the ``Left`` whose spots are to be marked on the plan, () for none
    setup_changed = Signal()  # another setup of the board is shown, or the whole
    tool_wanted = Signal(object)  # a function from the plan to a tool, or None

    _event = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._autosave: Autosave | None = None
        self.autosave_problem = ""
        self.edited.connect(self._keep_aside)
        self.replaced.connect(self._keep_aside_at_once)
        self.saved.connect(self._forget_aside)
        # in this order, and before any widget: each hears of the document before those that show what it has made of it
        self.planning = Planning(self)
        self.playhead = Playhead(self, self.planning)
        self.seeing = Seeing(self, self.planning, self.playhead)
        self.imports = Imports(self)
        self.nesting = Nesting(self)
        self.programs = Programs(self, self.planning)
        self.machine = AtMachine(self, self.planning, self.playhead)
        self.machine.said.connect(self.said)
        self._to_come: tuple[BoardId, list[tuple[PartId, Placement]], tuple[Path, ...]] | None = None
        self.clip: Clip | None = None
        self.setup_shown: int | None = None  # the number of one of the board's setups; None for the whole board
        self.thicker = 0.0  # how much thicker than read a sheet with two faces is drawn in the section, mm
        self.board_changed.connect(lambda: self.show_setup(None))
        self.chosen_nodes: Callable[[], dict[ShapeId, list[tuple[int, int]]] | None] = lambda: None
        self.engine: Engine | None = None
        self._event.connect(self._on_event, Qt.ConnectionType.QueuedConnection)

    # ---- pieces that would be laid

    @property
    def fitted_here(self) -> list[tuple[PartId, Placement]]:
        """The pieces a fit would lay on the shown board."""
        return self._to_come[1] if self._to_come is not None and self._to_come[0] == self.board_id else []

    @property
    def outlines_here(self) -> tuple[Path, ...]:
        """Outlines shown on the shown board, of what could be kept of it."""
        return self._to_come[2] if self._to_come is not None and self._to_come[0] == self.board_id else ()

    def show_fitted(self, pieces: list[tuple[PartId, Placement]] | None, outlines: tuple[Path, ...] = ()) -> None:
        """Show on the shown board where a fit would lay pieces, and outlines; None for nowhere any more."""
        to_come = (self.board_id, pieces or [], outlines) if pieces or outlines else None
        if to_come != self._to_come:
            self._to_come = to_come
            self.fitted_changed.emit()

    def show_setup(self, number: int | None) -> None:
        """Show one of the board's setups as it lies on the machine, at the moment its turn comes; None for the whole board."""
        if number == self.setup_shown:
            return
        self.setup_shown = number
        plan = self.planning.plan
        if number is not None and plan is not None:
            first = next((block.first for block in plan.run.blocks if block.setup == number), None)
            if first is not None:
                self.playhead.go_to(float(plan.times.ends[max(first - 1, 0)]))
        self.setup_changed.emit()

    def show_thicker(self, mm: float) -> None:
        """Draw the sheet so much thicker than it was read, in the section."""
        self.thicker = mm
        self.playhead.painted.emit(None)

    # ---- starting and ending

    def start(self, recovery_folder: FilePath | None) -> None:
        """Start the workers, and autosave where a folder is given; then plan what is shown."""
        from archimetra.engine.autosave import Autosave  # processes and threads are not needed to show a window
        from archimetra.engine.client import Engine

        engine = Engine(self._post)
        engine.start()
        self._give_engine(engine)
        if recovery_folder is not None:
            self._autosave = Autosave(recovery_folder, on_problem=lambda words: self._post(AutosaveTold(words)))
        self.planning.replan()

    def close(self, *, keep_recovery: bool = False) -> None:
        self.machine.close()  # before anything that takes a while
        if self._autosave is not None:
            self._autosave.close(keep=keep_recovery)
            self._autosave = None
        self.nesting.close()
        if self.engine is not None:
            self.engine.close()
            self._give_engine(None)

    def _give_engine(self, engine: Engine | None) -> None:
        self.engine = self.planning.engine = self.playhead.engine = self.imports.engine = self.seeing.engine = engine
        self.programs.engine = engine

    # ---- work kept aside

    def _keep_aside(self) -> None:
        if self._autosave is None:
            return
        if self.is_saved:
            self._autosave.forget()
        else:
            self._autosave.note(self.content, str(self.path or ""))

    def _keep_aside_at_once(self) -> None:
        if self._autosave is None:
            return
        if self.is_saved:
            self._autosave.forget()
        else:
            self._autosave.write_now(self.content, str(self.path or ""))

    def _forget_aside(self) -> None:
        if self._autosave is not None:
            self._autosave.forget()

    # ---- what is told

    def findings_of(self, board_id: BoardId) -> tuple[Finding, ...] | None:
        """What is told of a board as it is now, without what was dismissed; None while it is not planned."""
        plan, board = self.planning.plan_of(board_id), self.job.board(board_id)
        if plan is None or board is None:
            return None
        return told(all_found(self.job, board, plan.findings), board.dismissed)

    @property
    def findings(self) -> tuple[Finding, ...]:
        """What is told of the shown board by the plan that is shown."""
        return told(self.all_findings, self.board.dismissed)

    @property
    def all_findings(self) -> tuple[Finding, ...]:
        """The same with what was dismissed."""
        plan = self.planning.plan
        return all_found(self.job, self.board, plan.findings) if plan is not None else ()

    # ---- what is picked

    def shape_near(self, point: tuple[float, float]) -> ShapeId | None:
        """The shown shape whose outline is nearest to a place; None without any."""
        hidden = {layer.id for layer in self.board.layers if not layer.is_shown}
        best: tuple[float, ShapeId] | None = None
        for shape in self.board.shapes:
            if shape.layer in hidden:
                continue
            for outline in shape.placed():
                gap = outline.nearest(point)[1]
                if best is None or gap < best[0]:
                    best = gap, shape.id
        return best[1] if best is not None else None

    def copy_picked(self) -> str:
        """Keep what is picked for pasting; it is also given as SVG text, '' where nothing is picked."""
        from archimetra.artwork.svg_write import write_svg
        from archimetra.edits.shaping import as_drawn

        if not self.picked:
            return ""
        self.clip = copying.copied(self.job, self.board.id, self.picked)
        board = self.board
        layers = [DrawnLayer(layer.name, layer.colour, True) for layer in board.layers]
        return write_svg(
            as_drawn(board, self.picked), layers, width_mm=board.sheet.width, height_mm=board.sheet.height,
            title=self.job.name,
        )  # fmt: skip

    def paste_copied(self) -> None:
        if self.clip is not None:
            edit, ids = copying.paste(self.job, self.board.id, self.clip)
            self.apply(edit)
            self.pick(ids)

    def export_artwork(self, path: FilePath) -> int:
        """Write what is picked (or everything) as SVG or DXF by the name's ending; how many shapes. Raises OutputError."""
        from archimetra.output.artwork_file import write_artwork

        ids = self.picked or tuple(shape.id for shape in self.board.shapes)
        return write_artwork(path, self.board, ids, title=self.job.name)

    def move_picked(self, dx: float, dy: float, *, merge: str = "") -> None:
        """Shift what is picked; steps with the same ``merge`` key become one, as long as the same shapes are picked."""
        if self.picked:
            key = f"{merge} {' '.join(self.picked)}" if merge else ""
            self.apply(placing.map_shapes(self.job, self.board.id, self.picked, Affine.shift(dx, dy), merge=key))

    def map_picked(self, m: Affine, words: str) -> None:
        """What is picked sized or turned by a map."""
        if self.picked:
            self.apply(placing.map_shapes(self.job, self.board.id, self.picked, m, label=words))

    def add_profile(self) -> None:
        edit, cut_id = edits.add_profile(self.job, self.board.id, self.picked)
        self.apply(edit)
        self.show_cut(cut_id)

    # ---- events of the workers

    def _post(self, event: object) -> None:
        with contextlib.suppress(RuntimeError):  # the window is gone; so is the need
            self._event.emit(event)

    def _on_event(self, event: object) -> None:
        match event:
            case BoardPlan():
                self.planning.take(event)
            case PlanProgress():
                self.planning.show_progress(event)
            case GettingReady():
                self.planning.show_ready(event.share)
            case StockReady():
                self.playhead.stock = event
            case Moment():
                self.playhead.take(event)
            case Tilted():
                self.seeing.take_tilted(event)
            case NothingDrawn():
                self.seeing.stopped()
            case Closer():
                self.seeing.take_closer(event)
            case Thumb():
                self.seeing.take_thumb(event)
            case QuietDropped():
                self.planning.quiet_dropped(event.board)
            case StandingMade():
                self.planning.take_standing(event)
            case ArtworkRead():
                self.imports.take(event)
            case FilesMade():
                self.planning.take_files(event)
                self.files_tried.emit(event)
            case ProgramRead():
                self.programs.take(event)
            case Differs():
                self.programs.take_differs(event)
            case MateMade():
                self.mate_made.emit(event)
            case BitsCompared():
                self.bits_compared.emit(event)
            case TrialsMade():
                self.trials_made.emit(event)
            case AutosaveTold():
                self._tell_autosave(event.problem)
            case WorkerFailed():
                self._tell_failed(event)

    def _tell_autosave(self, problem: str) -> None:
        self.autosave_problem = problem
        self.autosave_changed.emit()
        if problem:
            self.said.emit("stop", problem)

    def _tell_failed(self, failed: WorkerFailed) -> None:
        log.error("%s\n%s", failed.sentence, failed.detail)
        self.playhead.stopped()
        self.seeing.stopped()
        self.imports.stopped()
        self.programs.stopped()
        self.planning.stopped(failed.files_key, failed.sentence)
        self.said.emit("stop", failed.sentence)
