"""The window: header, rail, page, plan, section, sequence, status; and what its actions do.

It brings values from the session into the widgets and carries intents back. It computes nothing.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path as FilePath
from typing import TYPE_CHECKING, cast

from PySide6.QtCore import QEvent, QPoint, QSettings, QSize, Qt
from PySide6.QtGui import QCloseEvent, QGuiApplication, QImage, QKeyEvent, QPixmap, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from archimetra.app.actions import (
    BOARD_MENU,
    CUT_MENU,
    FILE_MENU,
    PLAN_MENU,
    SHAPE_MENU,
    add_view_keys,
    make_actions,
    menu_of,
    pop_up,
)
from archimetra.app.commands import BoardCommands, CommandWindow, CutCommands, ShapeCommands, ViewCommands
from archimetra.app.documents import Documents
from archimetra.app.exporting import Exporting, PictureViews
from archimetra.app.header import Header
from archimetra.app.look_views import LookViews, Views
from archimetra.app.machine_views import MachineViews
from archimetra.app.mark_edits import MarkEdits
from archimetra.app.mate_watch import MateWatch
from archimetra.app.notice import Answer, Notices
from archimetra.app.playback import Playback
from archimetra.app.rail import Rail
from archimetra.app.session import Session
from archimetra.app.setup_views import SetupViews
from archimetra.app.show_views import ShowControl, ShowViews
from archimetra.app.stations import STATIONS, station
from archimetra.app.stations.page import Page
from archimetra.app.stations.program_panel import PROGRAM_ENDINGS
from archimetra.app.status import Status
from archimetra.app.theme import style
from archimetra.app.theme.tokens import DARK, LIGHT, Tokens
from archimetra.app.tilt_views import TiltViews
from archimetra.app.views.plan_view import PlanView
from archimetra.app.views.section_view import SectionView
from archimetra.app.views.sequence_view import SequenceView
from archimetra.app.views.showing import (
    Backdrops,
    pieces_to_come,
    plan_scene,
    preview_groups,
    readings_of,
    section_data,
    sequence_blocks,
    sequence_summary,
    with_mate,
)
from archimetra.app.views.tilted_view import TiltedView
from archimetra.app.widgets.unfinished import is_within, unfinished
from archimetra.base.findings import Finding, Severity
from archimetra.edits import basic as edits
from archimetra.edits import guides
from archimetra.edits.writing import begin_file, move_file
from archimetra.job.file import SUFFIX, JobFile
from archimetra.job.ids import BoardId, CutId, ShapeId
from archimetra.job.quantities import Unit

if TYPE_CHECKING:
    from archimetra.app.stations.artwork_page import ArtworkPage
    from archimetra.app.stations.check_page import CheckPage
    from archimetra.app.stations.cuts_page import CutsPage
    from archimetra.app.stations.output_page import OutputPage
    from archimetra.app.views.tools import Tool
    from archimetra.artwork.drawing import Drawing

PAGE_WIDTH = 330
THEMES = ("system", "light", "dark")


class _Holder(QWidget):
    """Where the plan stands, with the control over its corner."""

    control: ShowControl

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.control.place(self)


class MainWindow(CommandWindow):
    def __init__(self, session: Session, *, theme: str = "system", demo: Callable[[], JobFile] | None = None) -> None:
        """``demo`` gives the sample job's file when asked for."""
        super().__init__()
        self.session = session
        self._theme = theme if theme in THEMES else "system"
        self.tokens = self._wanted_tokens()
        style.apply_font_and_palette(self.tokens)
        self.setWindowTitle("Archimetra")
        self.setMinimumSize(min(1100, self._room().width()), min(700, self._room().height()))
        self.resize(self._room().boundedTo(QSize(1280, 800)))
        self.documents = Documents(self, demo)
        self._pictures = Backdrops()
        self.playback = Playback(session, self)
        self.shapes, self.cuts = ShapeCommands(self), CutCommands(session)
        self.boards, self.views = BoardCommands(self), ViewCommands(session, self.playback)
        self._make_views()
        self.actions_by_id = make_actions(self)
        self.mate = MateWatch(session)
        self._build()
        self._connect()
        self.show_station("board")
        self._show_all()
        self.plan.setFocus()
        # last: each move of a widget into a layout would style it, and all it holds, once more
        style.apply_sheet(self, self.tokens)

    def _room(self) -> QSize:
        """What the screen has for a window, its frame taken off."""
        screen = QGuiApplication.primaryScreen()
        return screen.availableSize() - QSize(8, 40) if screen is not None else QSize(1280, 800)

    # ---- building

    def _make_views(self) -> None:
        """The views, and what brings them what they show: keys and menus name these."""
        self.plan = PlanView(self.tokens)
        self.tilted = TiltedView(self.tokens)
        self.section = SectionView(self.tokens)
        self.sequence = SequenceView(self.tokens)
        self._plans = QStackedWidget()
        self._plans.addWidget(self.plan)
        self._plans.addWidget(self.tilted)
        self.shows = ShowViews(self.session, self.plan)
        self.exporting = Exporting(self, self.section, PictureViews(self.plan, self.tilted))
        self.tilting = TiltViews(self.session, self.plan, self.tilted, self._plans, self.playback)

    def _build(self) -> None:
        menu = menu_of(self, FILE_MENU, self.actions_by_id)
        self.documents.add_recent(menu, before=self.actions_by_id["save"])
        self.header = Header(
            self.tokens, menu, self.actions_by_id["undo"], self.actions_by_id["redo"], self.actions_by_id["help"]
        )
        self.pages: dict[str, Page] = {}  # by station, made when first shown
        self.station = STATIONS[0].id
        self._stack = QStackedWidget()
        self._stack.setObjectName("page")
        self._stack.setFixedWidth(style.scaled(PAGE_WIDTH))
        views = QSplitter(Qt.Orientation.Vertical)
        views.setHandleWidth(1)
        views.setChildrenCollapsible(False)
        for view, stretch in ((self._plan_holder(), 1), (self.section, 0), (self.sequence, 0)):
            views.addWidget(view)
            views.setStretchFactor(views.count() - 1, stretch)
        views.setSizes([466, 148, 140])
        for view in (self.plan, self.tilted, self.section.canvas, self.sequence.lane):
            add_view_keys(view, self.actions_by_id)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        self.rail = Rail(self.tokens)
        middle.addWidget(self.rail)
        middle.addWidget(self._stack)
        middle.addWidget(views, 1)
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        column.addLayout(middle, 1)
        self.status = Status()
        column.addWidget(self.status)
        self.setCentralWidget(whole)

    def _plan_holder(self) -> QWidget:
        holder = _Holder()
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self._plans)
        self._cursor = QLabel(holder)
        self._cursor.setProperty("kind", "note")
        self._cursor.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.notices = Notices(holder)
        holder.control = ShowControl(self.shows, self.actions_by_id, holder)
        self._plans.currentChanged.connect(lambda _k: holder.control.setVisible(not self.tilting.is_shown))
        self._holder = holder
        return holder

    def _connect(self) -> None:
        s, plan, sequence = self.session, self.plan, self.sequence
        unfinished.refused.connect(self._say_refused)
        self.looks = LookViews(s, Views(plan, self.tilting, self.section, sequence), self.playback)
        self._mark_edits = MarkEdits(s, plan)
        self._setups = SetupViews(s, plan, self.header.tabs)
        self._follow_session()
        self._listen_to_plan()
        self._listen_to_sequence()
        self.section.mate_wanted.connect(self.mate.show)
        self.mate.changed.connect(self._show_section)
        self._listen_to_frame()
        self.at_machine = MachineViews(s, self.header, self.status, self.plan)

    def _follow_session(self) -> None:
        """Show what the session comes to."""
        s = self.session
        s.leaving.connect(unfinished.settle)
        s.job_changed.connect(self._show_all)
        s.opened.connect(self._show_opened)
        s.board_changed.connect(self._show_new_board)
        s.picked_changed.connect(self._show_picked)
        s.cut_changed.connect(self._show_cut)
        s.planning.changed.connect(self._show_planning)
        s.planning.planned.connect(self._show_plan)
        s.playhead.moved.connect(self._show_moment)
        s.playhead.painted.connect(self._show_stock)
        s.seeing.thumb_made.connect(self._show_thumb)
        s.said.connect(self.say)
        s.autosave_changed.connect(lambda: self.status.show_autosave(s.autosave_problem))
        s.demo_wanted.connect(self.documents.open_demo)
        s.tool_wanted.connect(self._show_tool)
        s.imports.preview_changed.connect(self._show_preview)
        s.imports.places_wanted.connect(self._show_places)
        s.nesting.changed.connect(self._show_pieces_to_come)
        s.fitted_changed.connect(self._show_pieces_to_come)
        s.grid_wanted.connect(self.plan.show_grid)
        s.cut_menu_wanted.connect(self._show_cut_menu)

    def _listen_to_plan(self) -> None:
        """What a hand does on the plan."""
        s, plan = self.session, self.plan
        plan.picked.connect(self._pick)
        plan.moved.connect(s.move_picked)
        plan.mapped.connect(s.map_picked)
        plan.nudged.connect(lambda dx, dy: s.move_picked(dx, dy, merge="nudge"))
        plan.guide_wanted.connect(lambda guide: s.apply(guides.add_guide(s.job, s.board.id, guide)))
        plan.guide_moved.connect(lambda k, at: s.apply(guides.move_guide(s.job, s.board.id, k, at)))
        plan.tool_left.connect(self._tool_left)
        plan.delete_wanted.connect(self.shapes.remove_picked)
        plan.menu_wanted.connect(self._show_plan_menu)
        plan.cursor_said.connect(self._show_cursor)
        plan.looked.connect(self._show_zoom)
        plan.finding_clicked.connect(self._go_to_finding)
        plan.dropped.connect(self._dropped)

    def _listen_to_sequence(self) -> None:
        """What a hand does on the sequence, and what playing shows there."""
        sequence, playback = self.sequence, self.playback
        sequence.lane.menu_wanted.connect(self._show_cut_menu)
        sequence.moment_wanted.connect(playback.go_to)
        sequence.cut_picked.connect(self._pick_cut)
        sequence.reordered.connect(self._reorder)
        sequence.file_moved.connect(self._move_file)
        sequence.play_wanted.connect(playback.toggle)
        sequence.speed_chosen.connect(playback.set_speed)
        sequence.loop_wanted.connect(playback.set_loop)
        playback.loop_changed.connect(sequence.show_loop)
        playback.playing_changed.connect(sequence.show_playing)
        playback.speed_changed.connect(sequence.show_speed)
        sequence.show_speed(playback.speed)

    def _listen_to_frame(self) -> None:
        """What stands around the views: rail, status, header; and the desktop's own theme."""
        self.rail.chosen.connect(self.show_station)
        self.status.findings_wanted.connect(self._show_check)
        self.status.unit_wanted.connect(self.next_unit)
        self.status.snapping_wanted.connect(self.toggle_snapping)
        self.status.theme_wanted.connect(self.next_theme)
        self.status.machine_wanted.connect(self.station_machine)
        self.header.tabs.menu_wanted.connect(self._show_board_menu)
        self.header.board_chosen.connect(self.session.show_board)
        self.header.board_wanted.connect(self.boards.add_board)
        QGuiApplication.styleHints().colorSchemeChanged.connect(lambda _scheme: self._retheme())

    # ---- showing

    def _show_all(self) -> None:
        s = self.session
        self._show_header()
        self.plan.show_board(s.job, s.board)
        self._show_marks()
        self.looks.show_line()
        self.status.unit.setText(str(s.job.unit))
        self.status.show_snapping(self.plan.is_snapping)
        self.status.show_theme_choice(self._theme)
        self._refresh_page()
        self._show_planning()
        self._show_file_starts()
        self._show_section()

    def _show_file_starts(self) -> None:
        self.sequence.show_file_starts([cut.id for cut in self.session.board.cuts if cut.begins_file])

    def _show_header(self) -> None:
        s = self.session
        saved = "not saved yet" if not s.is_saved else "saved" if s.path is not None else ""
        name = s.job.name if s.is_saved else f"{s.job.name} *"
        self.header.show_job(s.job, s.board_id, name=s.job.name, saved=saved)
        self.header.show_undo(s.undo_label, s.redo_label)
        self.setWindowTitle(f"{name} – Archimetra")

    def _show_new_board(self) -> None:
        self.plan.show_run(None)
        self.plan.show_stock(None)
        self.plan.finding_marks.show(())
        self.sequence.show_blocks((), 0.0, "")
        self.section.show_section(None)
        self._show_all()
        self._show_zoom()
        self._show_preview(*self.session.imports.preview)

    def _show_opened(self) -> None:
        """Another document: nothing of how the one before was looked at stays."""
        self.plan.show_board(self.session.job, self.session.board)
        self.plan.fit()
        self._show_zoom()

    def _show_picked(self) -> None:
        self.plan.show_picked(self.session.picked)
        self._refresh_page()

    def _show_cut(self) -> None:
        self.plan.show_cut(self.session.cut_id)
        self.sequence.show_cut(self.session.cut_id)
        self._refresh_page()

    def _refresh_page(self) -> None:
        self.page(self.station).refresh()
        self._mark_edits.show(is_cutting=self.station == "cuts", is_boarding=self.station == "board")

    def _show_planning(self) -> None:
        planning, board = self.session.planning, self.session.board
        progress, share, cut = planning.progress, None, None
        if planning.ready_share < 1.0:
            words = f"getting ready, once on this machine: {planning.ready_share:.0%}"
        elif planning.is_planning and progress is not None:
            cut = board.cuts[progress.cut].id if progress.cut < len(board.cuts) else None
            share = (progress.cut + progress.share) / max(progress.count, 1)
            words = f"planning {progress.cut + 1} of {progress.count}" if board.cuts else ""
        elif planning.is_planning and self.session.engine is not None:
            words = "not planned: a worker stopped"
        elif planning.program is not None:
            words = f"{planning.program.name} is shown, not the job's cuts"
        else:
            words = "all cuts planned" if board.cuts else "no cuts yet"
        self.sequence.show_planning(share, cut)
        self.status.planning.setText(words)
        self._show_findings()

    def _show_plan(self) -> None:
        job, board, plan = self.session.job, self.session.board, self.session.planning.plan
        assert plan is not None
        adjusted = [ring for p in plan.cuts for ring in p.toolpath.outlines]
        self.plan.show_run(plan.run, adjusted)
        self.plan.finding_marks.show(self.session.findings)
        self.sequence.show_blocks(
            sequence_blocks(job, board, plan, self.session.findings), plan.times.total, sequence_summary(job, plan)
        )
        self._show_file_starts()
        self._show_moment()
        self._show_findings()
        self._refresh_page()

    def _show_findings(self) -> None:
        found = self.session.findings
        self.status.show_findings(found, self.tokens)
        self.rail.show_count("check", len(found))
        self.plan.finding_marks.show(found)

    def _show_moment(self) -> None:
        s = self.session
        self.sequence.show_moment(s.playhead.seconds)
        self.plan.show_scene(plan_scene(s))

    def _show_stock(self, _box: object) -> None:
        self.plan.show_stock(self.session.playhead.picture())
        self._show_section()

    def _show_thumb(self, board_id: BoardId, image: QImage) -> None:
        """The finished stock of a board, on its tab."""
        self.header.tabs.show_thumb(board_id, QPixmap.fromImage(image))

    def _show_section(self) -> None:
        made = self.mate.shown
        self.section.show_mate(is_offered=self.mate.inlay is not None, is_on=self.mate.is_on)
        self.section.show_section(with_mate(section_data(self.session), self.session, made))
        self.plan.mate_marks.show_mate(made.mate if made is not None else None)

    def _show_cursor(self, words: str) -> None:
        self._show_zoom()
        self._cursor.setText(words)
        self._cursor.adjustSize()
        self._cursor.move(24, self._holder.height() - self._cursor.height() - 6)

    def _show_zoom(self) -> None:
        self.status.zoom.setText(f"{self.plan.view.scale * 25.4 / 96 * 100:.0f}%")

    def say(self, kind: str, sentence: str) -> None:
        """One sentence over the plan, for a while."""
        self.notices.say(kind, sentence, self.tokens)

    def ask(self, kind: str, sentence: str, *answers: Answer, about: str) -> None:
        """A question over the plan that stays until it is answered."""
        self.notices.ask(kind, sentence, answers, self.tokens, about=about)

    def picture_of_plan(self) -> QImage:
        return self.plan.grab().toImage()

    def _say_refused(self, problem: str) -> None:
        self.say("caution", problem)

    def _show_check(self) -> None:
        """The findings, on their page."""
        self.show_station("check")
        cast("CheckPage", self.page("check")).show_panel("Findings")

    def _go_to_finding(self, finding: Finding) -> None:
        if self.session.board.cut(CutId(finding.subject)) is not None:
            self._pick_cut(CutId(finding.subject))
        self.say("stop" if finding.severity is Severity.STOP else "caution", self.session.words_of(finding))

    # ---- stations

    def page(self, id_: str) -> Page:
        """The page of a station, made when first asked for."""
        page = self.pages.get(id_)
        if page is None:
            page = self.pages[id_] = station(id_).make(self.session, self.tokens)
            self._stack.addWidget(page.widget)
        return page

    @property
    def artwork_page(self) -> ArtworkPage:
        return cast("ArtworkPage", self.page("artwork"))

    @property
    def cuts_page(self) -> CutsPage:
        return cast("CutsPage", self.page("cuts"))

    @property
    def output_page(self) -> OutputPage:
        return cast("OutputPage", self.page("output"))

    def _pick(self, ids: tuple[ShapeId, ...]) -> None:
        """Shapes clicked or framed on the plan; with nothing else to do on the page, their places are shown."""
        self.session.pick(ids)
        if ids and self.station == "artwork":
            self.artwork_page.show_places()

    def _show_tool(self, make: Callable[[PlanView], Tool] | None) -> None:
        self.plan.show_tool(make(self.plan) if make is not None else None)

    def _tool_left(self) -> None:
        self.plan.show_tool(None)
        self.artwork_page.tool_left()

    def _show_preview(self, drawing: Drawing | None, picture: tuple[bytes, tuple[float, float]] | None) -> None:
        """Artwork where it would land, before it does; or pieces as they are being nested."""
        s = self.session
        if drawing is not None and not self.plan.marks.has_preview:
            self.plan.fit()
        if drawing is None:
            self.plan.marks.show_preview(pieces_to_come(s, self.tokens) if self.station == "layout" else None)
        else:
            self.plan.marks.show_preview(*preview_groups(drawing, picture, s.board, self.tokens))
        if self.station == "cuts":
            self._refresh_page()

    def _show_pieces_to_come(self) -> None:
        """A layout while it is neither kept nor dropped."""
        self._show_preview(*self.session.imports.preview)

    def _show_places(self, places: tuple[tuple[float, float], ...], current: tuple[float, float] | None) -> None:
        self.plan.marks.show_places(places, current)
        if current is not None:
            self.plan.go_to(*current)

    def _show_marks(self) -> None:
        s = self.session
        self.plan.marks.show_backdrops(self._pictures.of(s.board, s.sources))
        self.plan.marks.show_readings(readings_of(s.board) if s.board.measures else ())

    def show_station(self, id_: str) -> None:
        """Bring a station's page to the front."""
        unfinished.settle()
        if id_ != self.station and self.station in self.pages:
            self.pages[self.station].left()
        page = self.page(id_)
        if id_ != self.station and is_within(self.focusWidget(), self._stack):
            self.plan.setFocus()  # what had the focus goes out of sight
        self.station = id_
        self._stack.setCurrentWidget(page.widget)
        self.rail.show_station(id_)
        self.shows.show_station(id_)
        self._refresh_page()
        self._show_pieces_to_come()
        self.at_machine.show_station(id_)

    def station_board(self) -> None:
        self.show_station("board")

    def station_artwork(self) -> None:
        self.show_station("artwork")

    def station_cuts(self) -> None:
        self.show_station("cuts")

    def station_layout(self) -> None:
        self.show_station("layout")

    def station_check(self) -> None:
        self.show_station("check")

    def station_output(self) -> None:
        self.show_station("output")
        self.output_page.refresh()

    def station_machine(self) -> None:
        self.show_station("machine")

    def halt(self) -> None:
        """Stop the machine; F9 also comes here from dialogs (``MachineViews``)."""
        self.session.machine.stop()

    def toggle_page(self) -> None:
        self._stack.setVisible(self._stack.isHidden())

    def _pick_cut(self, cut_id: CutId) -> None:
        self.session.show_cut(cut_id)
        self.show_station("cuts")

    def _reorder(self, cut_id: CutId, position: int) -> None:
        """Blocks exist only for cuts that cut something; find the place among all cuts."""
        plan = self.session.planning.plan
        if plan is None:
            return
        order = list(dict.fromkeys(block.cut for block in plan.run.blocks if block.cut != cut_id))
        rest = [cut.id for cut in self.session.board.cuts if cut.id != cut_id]
        index = rest.index(order[position]) if position < len(order) else len(rest)
        self.session.apply(edits.reorder_cut(self.session.job, self.session.board.id, cut_id, index))

    def _move_file(self, begin: CutId, to: CutId | None) -> None:
        job = self.session.job
        self.session.apply(begin_file(job, begin, begins=False) if to is None else move_file(job, begin, to))

    # ---- menus

    def _show_plan_menu(self, at: QPoint, thing: Finding | ShapeId | None) -> None:
        if isinstance(thing, Finding):
            self._go_to_finding(thing)
            if self.session.board.cut(CutId(thing.subject)) is not None:
                pop_up(menu_of(self, CUT_MENU, self.actions_by_id), at)
            return
        shape = thing
        if shape is not None and shape not in self.session.picked:
            self._pick((shape,))
        menu = menu_of(self, SHAPE_MENU if shape is not None else PLAN_MENU, self.actions_by_id)
        menu.addSeparator()
        self.looks.add_moments(menu, at)
        pop_up(menu, at)

    def _show_cut_menu(self, cut_id: CutId, at: QPoint) -> None:
        self.session.show_cut(cut_id)
        pop_up(menu_of(self, CUT_MENU, self.actions_by_id), at)

    def _show_board_menu(self, board_id: BoardId, at: QPoint) -> None:
        self.session.show_board(board_id)
        self.actions_by_id["remove-board"].setEnabled(len(self.session.job.boards) > 1)
        pop_up(menu_of(self, BOARD_MENU, self.actions_by_id), at)
        self.actions_by_id["remove-board"].setEnabled(True)

    # ---- actions

    def undo(self) -> None:
        if not self._typing_undone(lambda field: field.isUndoAvailable(), lambda field: field.undo()):
            self.session.undo()

    def redo(self) -> None:
        if not self._typing_undone(lambda field: field.isRedoAvailable(), lambda field: field.redo()):
            self.session.redo()

    def _typing_undone(self, can, run) -> bool:
        """While a field is being typed into, undo is the field's own."""
        field = self.focusWidget()
        if unfinished.is_any and isinstance(field, QLineEdit) and can(field):
            run(field)
            return True
        return False

    def fit(self) -> None:
        (self.tilted if self.tilting.is_shown else self.plan).fit()

    def toggle_snapping(self) -> None:
        self.plan.is_snapping = not self.plan.is_snapping
        self.status.show_snapping(self.plan.is_snapping)

    def show_help(self) -> None:
        from archimetra.app.help import HelpPage

        page = HelpPage(self)
        page.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        page.open()

    def next_unit(self) -> None:
        unit = Unit.INCH if self.session.job.unit is Unit.MM else Unit.MM
        self.session.apply(edits.change_job(self.session.job, "Unit", unit=unit))

    def bring_in(self) -> None:
        self.show_station("artwork")
        self.artwork_page.ask_for_file()

    def write_files(self) -> None:
        self.station_output()
        self.output_page.ask_for_folder()

    def read_program(self) -> None:
        self.station_output()
        self.output_page.program.ask()

    def _dropped(self, paths: list[str]) -> None:
        first = FilePath(paths[0])
        if first.suffix == SUFFIX:
            if self.documents.may_leave():
                self.documents.open_file(first)
            return
        if first.suffix.lower() in PROGRAM_ENDINGS:
            self.station_output()
            self.output_page.program.read(str(first))
            return
        self.show_station("artwork")
        self.artwork_page.read_file(first)

    # ---- playing

    def toggle_play(self) -> None:
        self.playback.toggle()

    # ---- keys for what the mouse does

    def next_area(self) -> None:
        self._go_to_area(1)

    def area_before(self) -> None:
        self._go_to_area(-1)

    def _go_to_area(self, step: int) -> None:
        """The focus goes round: stations, page, plan, section, sequence."""
        rail, page, plan = (self.rail, self.rail), (self._stack, self._stack), (self.plan, self.plan)
        section, sequence = (self.section, self.section.canvas), (self.sequence, self.sequence.lane)
        areas = [pair for pair in (rail, page, plan, section, sequence) if pair[0].isVisible()]
        now = next((k for k, (area, _) in enumerate(areas) if is_within(self.focusWidget(), area)), None)
        for k in range(1, len(areas) + 1):
            _, area = areas[((now if now is not None else 2) + step * k) % len(areas)]
            inner = next(
                (w for w in (area, *area.findChildren(QWidget)) if w.focusPolicy() & Qt.FocusPolicy.TabFocus and
                 w.isVisible() and w.isEnabled()), None,
            )  # fmt: skip
            if inner is not None:
                inner.setFocus(Qt.FocusReason.TabFocusReason)
                return

    # ---- theme

    def next_theme(self) -> None:
        self._choose_theme(THEMES[(THEMES.index(self._theme) + 1) % len(THEMES)])

    def _choose_theme(self, theme: str) -> None:
        self.set_theme(theme)
        QSettings("Archimetra", "Archimetra").setValue("theme", theme)

    def show_shop(self) -> None:
        """The machines of the shop, the sheets on its shelf, and how the window looks."""
        from archimetra.app.shop_page import ShopPage

        page = ShopPage(self.session, self, look=self._theme)
        page.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        page.changed.connect(self._refresh_page)
        page.look_chosen.connect(self._choose_theme)
        page.open()

    def set_theme(self, theme: str) -> None:
        self._theme = theme
        self._retheme()

    def _wanted_tokens(self) -> Tokens:
        if self._theme == "system":
            return DARK if QGuiApplication.styleHints().colorScheme() is Qt.ColorScheme.Dark else LIGHT
        return DARK if self._theme == "dark" else LIGHT

    def _retheme(self) -> None:
        tokens = self._wanted_tokens()
        if tokens is self.tokens:
            self._show_all()
            return
        self.tokens = tokens
        style.apply_font_and_palette(tokens)
        style.apply_sheet(self, tokens)
        for view in (self.header, self.rail, self.plan, self.tilted, self.section, self.sequence):
            view.show_theme(tokens)
        self.notices.show_theme(tokens)
        for page in self.pages.values():
            page.show_theme(tokens)
        self._show_all()

    # ---- events

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and isinstance(
            self.focusWidget(), QLineEdit | QPlainTextEdit | QAbstractSpinBox
        ):
            self.plan.setFocus()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            focused = self.focusWidget()
            if isinstance(focused, QAbstractButton):
                focused.click()
            elif isinstance(focused, QComboBox):
                focused.showPopup()
        else:
            super().keyPressEvent(event)

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() == QEvent.Type.ActivationChange and self.isActiveWindow():
            if self.focusWidget() is None:
                self.plan.setFocus()
            self.documents.look_at_disk()

    def closeEvent(self, event: QCloseEvent) -> None:
        unfinished.settle()
        if not self.at_machine.may_leave(self) or not self.documents.may_leave():
            event.ignore()
            return
        self.playback.stop()
        self.plan.show_stock(None)
        self.tilted.show_nothing()
        self.session.close()
        event.accept()
