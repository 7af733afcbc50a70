"""What one window works on: the document and its history, what is picked, the plans, the moment shown.

The one place where intents become edits. Widgets call its methods and listen to its signals; it knows none of
them. Work runs in the engine's processes; events come back over a queued signal.
"""

from __future__ import annotations

import contextlib
import logging
import threading
from collections.abc import Callable, Iterable
from math import hypot
from pathlib import Path as FilePath
from typing import TYPE_CHECKING, NamedTuple

import msgspec
from PySide6.QtCore import QCoreApplication, QEventLoop, QObject, Qt, Signal
from PySide6.QtGui import QImage

from archimetra.artwork.drawing import Drawing, DrawnLayer, moved
from archimetra.artwork.report import ReportLine
from archimetra.base.errors import JobFileError
from archimetra.edits import basic as edits
from archimetra.edits import copying, placement, placing
from archimetra.edits.copying import Clip
from archimetra.edits.edit import Edit
from archimetra.edits.history import History
from archimetra.edits.layering import whole_groups
from archimetra.engine.messages import (
    ArtworkRead,
    ArtworkRequest,
    BitsCompared,
    BoardPlan,
    FilesMade,
    GettingReady,
    MateMade,
    Moment,
    MomentRequest,
    PlanProgress,
    StockReady,
    WorkerFailed,
)
from archimetra.geometry.affine import Affine
from archimetra.job.file import SUFFIX, JobFile, OnDisk, open_job, save_job
from archimetra.job.ids import BoardId, CutId, ShapeId
from archimetra.job.job import Board, Job, new_job, with_boards
from archimetra.job.quantities import QuantityError, format_length, is_plain, parse_length, parse_number
from archimetra.job.shapes import Source
from archimetra.output.gcode_file import GcodeFile

if TYPE_CHECKING:
    from archimetra.engine.autosave import Autosave
    from archimetra.engine.client import Engine

log = logging.getLogger("archimetra")

Line = tuple[tuple[float, float], tuple[float, float]]
SECTION_SAMPLES = 2400


class AutosaveTold(NamedTuple):
    """Why work in progress cannot be kept aside; '' once it can."""

    problem: str


class Session(QObject):
    leaving = Signal()  # another thing is about to be shown, or the job saved: what is being typed belongs to this one
    job_changed = Signal()
    board_changed = Signal()  # another board is shown
    picked_changed = Signal()
    cut_changed = Signal()  # another cut is shown in detail
    planning_changed = Signal()
    planned = Signal()  # the shown board has a plan that fits the job
    stock_painted = Signal(object)  # cells (x0, y0, x1, y1), or None where nothing changed
    moment_changed = Signal()
    section_changed = Signal()
    reading_changed = Signal()
    artwork_read = Signal(object)  # ArtworkRead
    files_made = Signal()
    mate_made = Signal(object)  # MateMade
    bits_compared = Signal(object)  # BitsCompared
    demo_wanted = Signal()
    cut_menu_wanted = Signal(object, object)  # the cut, and the place on the screen
    opened = Signal()  # another document
    landing_wanted = Signal()  # what was brought in is to be landed
    autosave_changed = Signal()  # it works, or no longer works
    grid_wanted = Signal(float)  # mm between the points of the grid, 0 for none
    tool_wanted = Signal(object)  # a function from the plan to a tool, or None
    preview_changed = Signal(object, object)  # the drawing about to land and the picture behind it (bytes, mm), or None
    places_wanted = Signal(object, object)  # places of a report's entry on the board, and the one to look at
    said = Signal(str, str)  # kind ("note", "caution", "stop") and a sentence

    _event = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._history = History(new_job())
        self.path: FilePath | None = None
        self.on_disk: OnDisk | None = None  # the file as it was opened or saved last
        self.sources: dict[str, bytes] = {}
        self._saved: Job = self._history.job
        self.board_id: BoardId = self.job.boards[0].id
        self.picked: tuple[ShapeId, ...] = ()
        self.cut_id: CutId | None = None
        self.plan: BoardPlan | None = None
        self._plans: dict[BoardId, BoardPlan] = {}
        self._wanted_key = ""
        self.progress: PlanProgress | None = None
        self.stock: StockReady | None = None
        self.moment: Moment | None = None
        self.seconds = 0.0
        self.ready_share = 1.0  # below 1 while the planner compiles its loops, once on a machine
        self._is_at_end = True
        self._is_seeking = False
        self._seek_again = False
        self._lines: dict[BoardId, Line] = {}
        self._reading = 0  # number of the file being read, 0 for none
        self.clip: Clip | None = None
        self.landed_ids: tuple[ShapeId, ...] = ()  # the shapes that came with it
        self.landed: tuple[str, tuple[ReportLine, ...]] | None = (
            None  # the last drawing's name and its report, on the board
        )
        self.import_preview: tuple[Drawing | None, tuple[bytes, tuple[float, float]] | None] = (None, None)
        self.chosen_nodes: Callable[[], dict[ShapeId, list[tuple[int, int]]] | None] = lambda: None
        self.files: tuple[GcodeFile, ...] = ()
        self._files_for = ""
        self.files_problem = ""  # why the files of this plan do not come
        self.engine: Engine | None = None
        self._autosave: Autosave | None = None
        self.autosave_problem = ""
        self._event.connect(self._on_event, Qt.ConnectionType.QueuedConnection)

    # ---- starting and ending

    def start(self, recovery_folder: FilePath | None) -> None:
        """Start the workers, and autosave where a folder is given; then plan what is shown."""
        from archimetra.engine.autosave import Autosave  # processes and threads are not needed to show a window
        from archimetra.engine.client import Engine

        self.engine = Engine(self._post)
        self.engine.start()
        if recovery_folder is not None:
            self._autosave = Autosave(recovery_folder, on_problem=lambda words: self._post(AutosaveTold(words)))
        self._replan()

    def close(self, *, keep_recovery: bool = False) -> None:
        if self._autosave is not None:
            self._autosave.close(keep=keep_recovery)
            self._autosave = None
        if self.engine is not None:
            self.engine.close()
            self.engine = None

    def _post(self, event: object) -> None:
        with contextlib.suppress(RuntimeError):  # the window is gone; so is the need
            self._event.emit(event)

    # ---- the document

    @property
    def job(self) -> Job:
        return self._history.job

    @property
    def board(self) -> Board:
        return self.job.board(self.board_id) or self.job.boards[0]

    @property
    def is_saved(self) -> bool:
        return self.job == self._saved

    @property
    def undo_label(self) -> str | None:
        return self._history.undo_label

    @property
    def redo_label(self) -> str | None:
        return self._history.redo_label

    def apply(self, edit: Edit) -> None:
        """Take an edit, with what follows from it, as a step that undo takes back."""
        if self._history.apply(edit):
            self._after_change()

    def try_edit(self, make: Callable[[], Edit]) -> str:
        """Apply what ``make`` returns; the sentence of the limit it broke, or ''."""
        try:
            edit = make()
        except ValueError as error:
            return sentence(str(error))
        self.apply(edit)
        return ""

    def enter_length(self, key: str, text: str, make: Callable[[float], Edit]) -> str:
        """A typed length: parsed, applied and remembered as typed; what is wrong with it, or ''."""
        try:
            mm = parse_length(text, default=self.job.unit)
            edit = make(mm)
        except QuantityError as error:
            return str(error)
        except ValueError as error:
            return sentence(str(error))
        typed = None if is_plain(text) else text.strip()
        self.apply(msgspec.structs.replace(edit, job=edits.remember_typed(edit.job, key, typed)))
        return ""

    def enter_number(self, text: str, make: Callable[[float], Edit]) -> str:
        try:
            edit = make(parse_number(text))
        except QuantityError as error:
            return str(error)
        except ValueError as error:
            return sentence(str(error))
        self.apply(edit)
        return ""

    def length_text(self, key: str, mm: float) -> tuple[str, str]:
        """What a length field shows: the text as typed, as long as it still comes to the length, and its note."""
        unit = self.job.unit
        shown = format_length(mm, unit)
        typed = self.job.typed.get(key)
        if typed is not None:
            with contextlib.suppress(QuantityError):
                if abs(parse_length(typed, default=unit) - mm) < 1e-9:
                    return typed, f"= {shown} {unit}"
        return shown, str(unit)

    def undo(self) -> None:
        self.leaving.emit()
        if self._history.undo():
            self._after_change()

    def redo(self) -> None:
        self.leaving.emit()
        if self._history.redo():
            self._after_change()

    def _after_change(self) -> None:
        if self.job.board(self.board_id) is None:
            self.show_board(self.job.boards[0].id)
        known = {shape.id for shape in self.board.shapes}
        picked = tuple(id_ for id_ in self.picked if id_ in known)
        self.job_changed.emit()
        if picked != self.picked:
            self.pick(picked)
        if self.cut_id is not None and self.board.cut(self.cut_id) is None:
            self.show_cut(None)
        if self._autosave is not None:
            if self.is_saved:
                self._autosave.forget()
            else:
                self._autosave.note(JobFile(self.job, self.sources), str(self.path or ""))
        self._replan()

    # ---- files

    def open_job(self, content: JobFile, path: FilePath | None, *, is_saved: bool = True) -> None:
        """Show another document; history starts anew."""
        self.leaving.emit()
        self._history = History(content.job)
        self.sources = dict(content.sources)
        self.path, self.on_disk = path, None
        self._saved = content.job if is_saved else new_job()
        self._plans.clear()
        self.plan = None
        self.picked, self.cut_id = (), None
        self._lines.clear()
        self._is_at_end = True
        self.board_id = content.job.boards[0].id if content.job.boards else BoardId("")
        if not content.job.boards:
            self._history = History(with_boards(content.job, new_job().boards))
            self.board_id = self.job.boards[0].id
        if self._autosave is not None:
            if is_saved:
                self._autosave.forget()
            else:
                self._autosave.write_now(content, str(path or ""))
        self.landed = None
        self.opened.emit()
        self.job_changed.emit()
        self.board_changed.emit()
        self.picked_changed.emit()
        self.cut_changed.emit()
        self.section_changed.emit()
        self._replan()

    def open_path(self, path: FilePath) -> None:
        """Raises JobFileError."""
        content, on_disk = open_job(path)
        self.open_job(content, path)
        self.on_disk = on_disk

    def take_from_disk(self, path: FilePath) -> None:
        """The version on disk in place of the one shown, as a step that undo takes back. Raises JobFileError."""
        content, on_disk = open_job(path)
        if not content.job.boards:
            raise JobFileError(f"{path.name} holds no boards, so there is nothing to take.")
        self.sources = {**self.sources, **content.sources}
        self.path, self.on_disk, self._saved = path, on_disk, content.job
        if not self._history.apply(Edit("Version on disk", content.job)):
            self.job_changed.emit()
            return
        self._after_change()

    def forget_changes(self) -> None:
        """Take the document as saved although it is not: it is nobody's work."""
        self._saved = self.job

    def save_to(self, path: FilePath, preview_png: bytes = b"", *, over_others: bool = False) -> None:
        """Save. Raises JobFileChanged where the file is not the one opened or saved here last, unless ``over_others``; else
        JobFileError. The document stays unsaved then."""
        if path.suffix != SUFFIX:
            path = path.with_name(path.name + SUFFIX)
        self.leaving.emit()
        job = self.job
        over = self.on_disk if path == self.path and not over_others else None
        made: list[OnDisk] = []
        _beside_the_window(lambda: made.append(save_job(path, JobFile(job, self.sources, preview_png), over=over)))
        self.path, self.on_disk = path, made[0]
        self._saved = job
        if self._autosave is not None:
            self._autosave.forget()
        self.job_changed.emit()

    # ---- what is shown

    def show_board(self, board_id: BoardId) -> None:
        if board_id == self.board_id and self.job.board(board_id) is not None:
            return
        if self.job.board(self.board_id) is not None:
            self.leaving.emit()
        self.board_id = board_id
        self.picked, self.cut_id = (), None
        self.plan = None
        self._is_at_end = True
        self.board_changed.emit()
        self.picked_changed.emit()
        self.cut_changed.emit()
        self.section_changed.emit()
        self._replan()

    def pick(self, ids: Iterable[ShapeId]) -> None:
        self.leaving.emit()
        self.picked = whole_groups(self.board, ids)
        self.picked_changed.emit()

    def show_cut(self, cut_id: CutId | None) -> None:
        if cut_id != self.cut_id:
            self.leaving.emit()
            self.cut_id = cut_id
            self.cut_changed.emit()

    @property
    def line(self) -> Line:
        """The section line of the shown board; across the middle of the sheet until it is dragged."""
        sheet = self.board.sheet
        y = sheet.height / 2
        return self._lines.get(self.board.id, ((-0.04 * sheet.width, y), (1.04 * sheet.width, y)))

    def move_line(self, line: Line) -> None:
        (ax, ay), (bx, by) = line
        if abs(ax - bx) + abs(ay - by) < 1.0:
            return
        self._lines[self.board.id] = line
        self.section_changed.emit()
        self._seek()

    def shift_line(self, mm: float) -> None:
        """Move the section line square to itself, up (or to the left, if it stands upright)."""
        (ax, ay), (bx, by) = self.line
        long = hypot(bx - ax, by - ay)
        up = 1.0 if (bx - ax, by - ay) > (0.0, 0.0) else -1.0
        dx, dy = -up * (by - ay) / long * mm, up * (bx - ax) / long * mm
        self.move_line(((ax + dx, ay + dy), (bx + dx, by + dy)))

    # ---- artwork and cuts

    def show_preview(self, drawing: Drawing | None, picture: tuple[bytes, tuple[float, float]] | None = None) -> None:
        """What has been brought in and not landed yet, with the picture it was traced from; or nothing any more."""
        self.import_preview = (drawing, picture)
        self.preview_changed.emit(drawing, picture)

    @property
    def is_reading(self) -> bool:
        return self._reading != 0

    def read_artwork(self, request: ArtworkRequest) -> None:
        """Read artwork in the background; ``artwork_read`` brings it."""
        if self.engine is not None:
            self._reading = self.engine.read_artwork(request)
            self.reading_changed.emit()

    def stop_reading(self) -> None:
        if self.engine is not None and self._reading:
            self.engine.stop_reading()
            self._reading = 0
            self.reading_changed.emit()

    def place(self, drawing: Drawing, source: tuple[str, bytes] | None = None, *, path: str = "") -> None:
        """Lay a drawing on the shown board and pick it; its report stays at hand, its places on the board."""
        kept = None
        if source is not None:
            name = self._free_name(*source)
            self.sources = {**self.sources, name: source[1]}
            kept = Source(name=name, path=path)
        at = placement.place_on_sheet(self.board, drawing)
        edit, ids = placement.place_drawing(self.job, self.board.id, drawing, source=kept)
        self.landed, self.landed_ids = (drawing.name, moved(drawing, at).report), tuple(ids)
        self.apply(edit)
        self.pick(ids)

    def _free_name(self, name: str, data: bytes) -> str:
        """A name under which the source can be kept: another file of the same name is not overwritten."""
        free, number = name, 2
        while free in self.sources and self.sources[free] != data:
            stem, dot, suffix = name.rpartition(".")
            free = f"{stem or suffix} ({number}){dot}{suffix if stem else ''}"
            number += 1
        return free

    def reread(self, name: str, read: ArtworkRead) -> str:
        """Take a changed file's drawing in place of the one before; what came of it in a sentence."""
        assert read.drawing is not None
        done = placement.reread_drawing(self.job, self.board.id, name, read.drawing)
        self.sources = {**self.sources, name: read.data}
        known = next((s for s in self.board.sources if s.name == name), None)
        self.landed = (read.drawing.name, moved(read.drawing, known.at if known is not None else Affine()).report)
        self.apply(done.edit)
        if done.added:
            self.pick(done.added)
        parts = [f"{done.changed} changed", f"{len(done.added)} new", f"{done.gone} gone"]
        return f"{name} was read again: {', '.join(parts)}. Places and cuts were kept."

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

    # ---- planning

    @property
    def is_planning(self) -> bool:
        return self.plan is None or self.plan.key != self._wanted_key

    def _replan(self) -> None:
        if self.engine is None:
            return
        from archimetra.engine.keys import plan_key  # what a planner needs to know: not to show a window

        key = plan_key(self.job, self.board)
        if key == self._wanted_key and (self.plan is not None or self.progress is not None):
            return
        self._wanted_key = key
        known = self._plans.get(self.board.id)
        if known is not None and known.key == key:
            self._take_plan(known)
            return
        self.progress = PlanProgress(self.board.id, 0, max(1, len(self.board.cuts)), 0.0)
        self.engine.plan(self.job, self.board.id)
        self.planning_changed.emit()

    def _take_plan(self, plan: BoardPlan) -> None:
        self.plan = plan
        self._plans[BoardId(plan.board)] = plan
        self.progress = None
        if self._is_at_end:
            self.seconds = plan.times.total
        else:
            self.seconds = min(self.seconds, plan.times.total)
        if self.engine is not None:
            self.engine.show_stock(plan, self.job, self.board)
        self._is_seeking = False
        self._seek()
        self.planning_changed.emit()
        self.planned.emit()
        self.moment_changed.emit()

    # ---- files

    def want_files(self, *, again: bool = False) -> bool:
        """Have the shown plan written as files; whether ``files`` already are those of the plan. Where that failed it is
        tried ``again`` only when asked."""
        plan, job = self.plan, self.job
        if self.engine is None or plan is None or self.is_planning:
            return False
        from archimetra.engine.keys import output_key

        key = output_key(job, plan.key)
        if key != self._files_for or (again and self.files_problem):
            self._files_for, self.files, self.files_problem = key, (), ""
            self.engine.make_files(key, job, self.board, plan)
        return bool(self.files) or not len(plan.run.blocks)

    # ---- the moment

    def go_to(self, seconds: float) -> None:
        """Show the stock at this moment; the newest wish counts, older ones still waiting are dropped."""
        total = self.plan.times.total if self.plan is not None else 0.0
        self.seconds = min(max(seconds, 0.0), total)
        self._is_at_end = self.seconds >= total
        self.moment_changed.emit()
        self._seek()

    def engine_image(self) -> QImage | None:
        """The stock at the moment shown, as a picture that looks into the engine's memory; None until it fits the plan."""
        stock, plan, engine = self.stock, self.plan, self.engine
        if stock is None or plan is None or engine is None or stock.key != plan.run_key or engine.pixels.buf is None:
            return None
        ny, nx = stock.shape
        return QImage(engine.pixels.buf, nx, ny, nx * 4, QImage.Format.Format_RGB32)

    def _seek(self) -> None:
        if self.engine is None or self.plan is None:
            return
        if self._is_seeking:
            self._seek_again = True
            return
        self._is_seeking = True
        self.engine.seek(MomentRequest(self.seconds, self.line, SECTION_SAMPLES))

    def _on_event(self, event: object) -> None:
        if isinstance(event, BoardPlan):
            if event.key == self._wanted_key and event.board == self.board_id:
                self._take_plan(event)
        elif isinstance(event, PlanProgress):
            if event.board == self.board_id and self.is_planning:
                self.progress = event
                self.planning_changed.emit()
        elif isinstance(event, GettingReady):
            self.ready_share = event.share
            self.planning_changed.emit()
        elif isinstance(event, StockReady):
            self.stock = event
        elif isinstance(event, Moment):
            self._on_moment(event)
        elif isinstance(event, ArtworkRead):
            if event.number == self._reading:
                self._reading = 0
                self.reading_changed.emit()
                self.artwork_read.emit(event)
        elif isinstance(event, FilesMade):
            if event.key == self._files_for:
                self.files = event.files
                self.files_made.emit()
        elif isinstance(event, MateMade):
            self.mate_made.emit(event)
        elif isinstance(event, BitsCompared):
            self.bits_compared.emit(event)
        elif isinstance(event, AutosaveTold):
            self.autosave_problem = event.problem
            self.autosave_changed.emit()
            if event.problem:
                self.said.emit("stop", event.problem)
        elif isinstance(event, WorkerFailed):
            log.error("%s\n%s", event.sentence, event.detail)
            self._is_seeking = False
            self.progress = None
            self.ready_share = 1.0
            if event.files_key and event.files_key == self._files_for:
                self.files_problem = event.sentence
                self.files_made.emit()
            if self._reading:
                self._reading = 0
                self.reading_changed.emit()
            self.planning_changed.emit()
            self.said.emit("stop", event.sentence)

    def _on_moment(self, moment: Moment) -> None:
        self._is_seeking = False
        if self.plan is not None and moment.key == self.plan.run_key:
            self.moment = moment
            self.stock_painted.emit(moment.box)
        if self._seek_again:
            self._seek_again = False
            self._seek()


def _beside_the_window(work: Callable[[], None]) -> None:
    """Do slow work on a thread of its own while the window goes on drawing, but takes no input: what is being written
    must not change under it. Raises what the work raises."""
    failed: list[BaseException] = []

    def run() -> None:
        try:
            work()
        except BaseException as error:  # noqa: BLE001  handed on to whoever asked for the work
            failed.append(error)

    thread = threading.Thread(target=run, name="saving")
    thread.start()
    while thread.is_alive():
        QCoreApplication.processEvents(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents, 15)
        thread.join(0.003)
    if failed:
        raise failed[0]


def sentence(text: str) -> str:
    """A limit's words as a sentence on their own."""
    text = text.strip()
    return text[:1].upper() + text[1:] + ("" if text.endswith(".") else ".")
