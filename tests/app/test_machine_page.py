"""The Machine page in a real window with the stand-in at the other end of a line: everything a person does from connecting to the park position."""

from __future__ import annotations

import contextlib
import dataclasses
import multiprocessing
import os
import time
from pathlib import Path

import numpy as np
import pytest
import shapely
from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QCheckBox, QDialog, QScrollArea
from scipy import ndimage

from app import gestures
from app.conftest import settle
from app.gestures import choose, words_on
from archimetra.app.session.at_machine import Stage
from archimetra.app.widgets.halt import HaltButton
from archimetra.app.widgets.jog_pad import JogPad
from archimetra.base.priority import BACK
from archimetra.demo import quay_tide_clock
from archimetra.edits import basic as edits
from archimetra.edits.edit import Edit
from archimetra.edits.shop import SHOP
from archimetra.engine.programs import program_of
from archimetra.job.file import JobFile
from archimetra.job.job import with_boards
from archimetra.job.quantities import Unit
from archimetra.job.sheet import Fixture
from archimetra.machine.runs import broken_runs, log_path, records_of
from archimetra.machine.standin.controller import TERSE, Build, StandIn
from archimetra.machine.standin.faults import Fault, Faulty, Kind
from archimetra.machine.standin.server import Served
from archimetra.stock.timeline import StockTimeline
from shapes import replace

CORNER = (120.0, 130.0, -40.0)  # where the sheet's front left corner lies on the machine, its top 40 mm below home


def clock(cuts=("Wave border", "Outline"), controller="streaming"):
    """The sample with some cuts of its first board on."""
    content = quay_tide_clock()
    first = content.job.boards[0]
    on = tuple(replace(cut, is_on=cut.name in cuts) for cut in first.cuts)
    job = with_boards(replace(content.job, controller=controller), (replace(first, cuts=on),))
    return JobFile(job, content.sources)


@pytest.fixture
def faulty():
    return Faulty(StandIn(Build(needs_home=True, plate=CORNER[2] + 15.0)), [])


@pytest.fixture
def served(faulty, request):
    with Served(faulty, port=0, speed=getattr(request, "param", 10.0)) as made:
        yield made


@pytest.fixture
def window(open_window):
    window = open_window(clock())
    window.station_machine()
    yield window
    window.session.machine.close()


def part_with(window, name):
    """Bring the part of the page to the front that has it, as a person would."""
    is_of_run = name.startswith(("Trace", "Run file", "In air"))
    window.page("machine").show_part("run" if is_of_run else "lead")


def button(window, text):
    part_with(window, text)
    return gestures.button(window, text)


def field(window, name):
    part_with(window, name)
    return gestures.field(window, name)


def type_into(window, name, text):
    part_with(window, name)
    gestures.type_into(window, name, text)


def machine_of(window):
    return window.session.machine


def connect(qtbot, window, served):
    choose(window, "Machine at", "Another address …")
    type_into(window, "Address of the machine", served.address)
    button(window, "Connect").click()
    qtbot.waitUntil(lambda: machine_of(window).stage in (Stage.READY, Stage.LOCKED), timeout=10_000)


def stands(qtbot, window, seconds=20):
    qtbot.waitUntil(
        lambda: machine_of(window).stage in (Stage.READY, Stage.CHANGE, Stage.LOCKED), timeout=seconds * 1000
    )
    QTest.qWait(150)
    qtbot.waitUntil(
        lambda: machine_of(window).stage in (Stage.READY, Stage.CHANGE, Stage.LOCKED), timeout=seconds * 1000
    )


def home(qtbot, window):
    button(window, "Home").click()
    qtbot.waitUntil(lambda: machine_of(window).is_homed, timeout=10_000)


def move(qtbot, window, axis: str, by: float):
    choose(window, "Axis to move", axis)
    type_into(window, "Distance to move", f"{by:g}")
    button(window, "Move").click()
    at = machine_of(window).now.at["XYZ".index(axis)]
    qtbot.waitUntil(lambda: abs(machine_of(window).now.at["XYZ".index(axis)] - at - by) < 2e-3, timeout=20_000)
    stands(qtbot, window)


def to_corner(qtbot, window):
    """From home over the sheet's corner, onto a piece of paper."""
    at = machine_of(window).now.at
    for axis, k in (("X", 0), ("Y", 1), ("Z", 2)):
        by = CORNER[k] + (0.1 if k == 2 else 0.0) - at[k]
        if abs(by) > 1e-6:
            move(qtbot, window, axis, by)


def zero_all(qtbot, window):
    to_corner(qtbot, window)
    button(window, "X Y zero here").click()
    button(window, "Z zero here").click()
    qtbot.waitUntil(lambda: machine_of(window).now.zero == pytest.approx(CORNER, abs=2e-3), timeout=5_000)


def hold_plate_to_bit(qtbot, window, faulty):
    """As a person does before the bit goes down on it."""
    faulty.machine.plate_touches = True
    qtbot.waitUntil(lambda: "touches the bit now" in words_on(window.page("machine")), timeout=5_000)
    faulty.machine.plate_touches = False
    qtbot.waitUntil(lambda: "touches the bit now" not in words_on(window.page("machine")), timeout=5_000)


def tick_all(qtbot, window):
    """Every box of the list, as soon as the list is there."""
    window.page("machine").show_part("run")
    what = window.page("machine").what
    qtbot.waitUntil(
        lambda: len([w for w in what._list_box.findChildren(QCheckBox) if w.isVisible()]) == len(what.checks()) > 0,
        timeout=10_000,
    )
    for box in window.page("machine").widget.findChildren(QCheckBox):
        if box.isVisible() and not box.isChecked() and box.accessibleName() and "checked zero" not in box.text():
            box.click()


def run_button(window):
    window.page("machine").show_part("run")
    return window.page("machine").what._go


def begin_to_run(qtbot, window, served):
    """From connecting to the first file under way."""
    connect(qtbot, window, served)
    home(qtbot, window)
    zero_all(qtbot, window)
    qtbot.waitUntil(lambda: bool(window.page("machine").what.files), timeout=20_000)
    tick_all(qtbot, window)
    run_button(window).click()
    qtbot.waitUntil(lambda: machine_of(window).stage is Stage.RUNNING, timeout=10_000)


def log_of(faulty) -> np.ndarray:
    return np.array([row[1:4] for row in faulty.machine.motion.log]).reshape(-1, 3)


@pytest.mark.parametrize("served", [25.0], indirect=True)
def test_from_connecting_to_the_park_position_the_board_is_what_was_planned(window, qtbot, served, faulty, tmp_path):
    """Home, zero, bounds in air, two files with a bit change between, a hold, a lost link, a restart; the stock is the plan's."""
    session, machine = window.session, machine_of(window)
    board, plan = session.board, session.planning.plan
    assert run_button(window).isEnabled() is False
    connect(qtbot, window, served)
    assert machine.stage is Stage.LOCKED
    assert not run_button(window).isEnabled()
    assert "home it first" in words_on(window.page("machine"))
    home(qtbot, window)
    zero_all(qtbot, window)
    qtbot.waitUntil(lambda: len(window.page("machine").what.files) == 2, timeout=20_000)
    move(qtbot, window, "Z", 12.0)

    # bounds in air: around what is cut, never below the height typed
    before = len(faulty.machine.motion.log)
    type_into(window, "In air, over zero", "15")
    button(window, "Trace its bounds in air").click()
    qtbot.waitUntil(lambda: machine.running is not None, timeout=5_000)
    qtbot.waitUntil(lambda: machine.running is None and machine.stage is Stage.READY, timeout=30_000)
    traced = log_of(faulty)[before:] - CORNER
    wave = next(k for k, cut in enumerate(board.cuts) if cut.name == "Wave border")
    flat = plan.cuts[wave].toolpath.xyz[:, :2]
    reach = shapely.box(*shapely.LineString(traced[2:, :2]).bounds)
    assert reach.buffer(0.05).contains(shapely.box(*shapely.LineString(flat).bounds))
    assert traced[1:, 2].min() == pytest.approx(15.0, abs=1e-3)

    # the first file, held on the way
    assert not run_button(window).isEnabled()
    tick_all(qtbot, window)
    assert run_button(window).isEnabled(), window.page("machine").what.why_not()
    cuts = [(len(faulty.machine.motion.log), "C")]
    run_button(window).click()
    qtbot.waitUntil(lambda: machine.moment is not None and machine.moment > 20.0, timeout=30_000)
    assert session.playhead.seconds == pytest.approx(machine.moment, abs=10.0)
    button(window, "Hold").click()
    qtbot.waitUntil(lambda: machine.stage is Stage.HELD and faulty.machine.motion.is_still, timeout=5_000)
    held = faulty.machine.motion.position
    QTest.qWait(400)
    assert faulty.machine.motion.position == held
    button(window, "Resume").click()
    qtbot.waitUntil(lambda: machine.running is None and machine.stage is Stage.READY, timeout=60_000)
    assert machine.last[1].state == "done"

    # the bit is changed: what is looked at before the second file says so
    assert run_button(window).text() == "Run file 2"  # what is cut is not cut again by the same press
    qtbot.waitUntil(lambda: "found again with bit A" in words_on(window.page("machine")), timeout=3_000)
    assert not run_button(window).isEnabled()
    cuts.append((len(faulty.machine.motion.log), "A"))
    choose_z = button(window, "Probe plate")
    choose_z.click()
    to_corner_flat = CORNER[2] + 15.0 + 6.0 - machine.now.at[2]
    move(qtbot, window, "Z", to_corner_flat)
    hold_plate_to_bit(qtbot, window, faulty)
    button(window, "Touch the plate").click()
    assert machine.stage is Stage.MOVING
    assert not run_button(window).isEnabled()  # nor between the two touches
    stands(qtbot, window)
    assert faulty.machine.motion.position[2] == pytest.approx(CORNER[2] + 20.0)
    assert machine.now.zero == pytest.approx(CORNER, abs=2e-3)
    stands(qtbot, window)
    tick_all(qtbot, window)
    assert run_button(window).isEnabled(), window.page("machine").what.why_not()
    run_button(window).click()
    qtbot.waitUntil(lambda: machine.stage is Stage.RUNNING, timeout=5_000)
    first = plan.times.ends[next(b for b in plan.run.blocks if b.cut == board.cuts[-1].id).first]
    qtbot.waitUntil(lambda: machine.moment is not None and machine.moment > first + 90.0, timeout=60_000)

    # the line is cut
    faulty.plan([Fault(Kind.CUT, 0)])
    qtbot.waitUntil(lambda: not machine.is_linked, timeout=15_000)
    qtbot.waitUntil(
        lambda: bool(machine.problem) and machine.problem in words_on(window.page("machine")), timeout=5_000
    )
    qtbot.waitUntil(lambda: bool(broken_runs()) and broken_runs()[0].last.state == "link lost", timeout=5_000)
    (broken,) = broken_runs()
    assert broken.last.state == "link lost"
    assert "Certainly done up to line" in words_on(window.page("machine"))
    qtbot.waitUntil(lambda: faulty.machine.motion.is_done, timeout=20_000)
    cuts.append((len(faulty.machine.motion.log), "A"))
    served.close()

    # and is there again
    faulty.is_cut = False
    with Served(faulty, port=0, speed=25.0) as again:
        connect(qtbot, window, again)
        assert not button(window, "Go on").isEnabled()
        home(qtbot, window)
        qtbot.waitUntil(lambda: machine.stage is Stage.READY, timeout=5_000)
        window.page("machine").mishap._is_checked.click()
        cuts.append((len(faulty.machine.motion.log), "A"))
        button(window, "Go on").click()
        qtbot.waitUntil(lambda: machine.running is not None, timeout=5_000)
        qtbot.waitUntil(lambda: machine.running is None and machine.stage is Stage.READY, timeout=90_000)
        assert machine.last[1].state == "done", machine.last
        assert broken_runs() == []
        end = faulty.machine.motion.position
        assert end[2] - CORNER[2] == pytest.approx(machine.park, abs=0.01)
        machine.close()

    cut, planned = _cut_by(session.job, board, faulty, cuts), _planned(session.job, board, plan)
    # a cell the edge of the bit just touches may fall on either side of it, so each is held against its neighbours
    assert (cut >= ndimage.minimum_filter(planned, 3) - 0.03).all()
    assert (cut <= ndimage.maximum_filter(planned, 3) + 0.03).all()
    assert np.abs(cut - planned).mean() < 0.03
    states = [record.state for record in records_of(log_path(""))]
    assert states == ["done", "link lost", "done"]
    (timed,) = SHOP.load().router.timed
    assert timed[0] == pytest.approx(plan.times.ends[plan.run.blocks[0].last - 1], abs=3.0)


def _planned(job, board, plan):
    timeline = StockTimeline(board.sheet, plan.run, job.bits, cell=1.0)
    timeline.seek(timeline.duration)
    return timeline.field.copy()


def _cut_by(job, board, faulty, cuts) -> np.ndarray:
    """The stock by the stand-in's own log, with the bits that were in."""
    log = log_of(faulty) - CORNER
    letters = {bit.letter: bit.number for bit in job.bits}
    text = "G21 G90\nM3 S9000\n"
    marks = dict(cuts)
    for k, (x, y, z) in enumerate(log):
        if k in marks:
            text += f"G0 Z39\nT{letters[marks[k]]} M6\n"
        home_again = k and np.allclose((x, y, z), -np.array(CORNER))
        if home_again:
            text += f"G0 Z{z:.4f}\n"  # a machine goes up before it goes home
        text += f"G1 X{x:.4f} Y{y:.4f} Z{z:.4f} F900\n"
    program = program_of("log", text + "M30\n", job, board)
    timeline = StockTimeline(board.sheet, program.plan.run, job.bits, cell=1.0)
    timeline.seek(timeline.duration)
    return timeline.field.copy()


@pytest.mark.parametrize("power_goes", [False, True])
def test_a_file_that_changes_bits_waits_is_led_meanwhile_and_goes_on_from_its_own_place(
    open_window, qtbot, served, faulty, power_goes
):
    """The machine is moved and Z found anew between two parts: what follows is cut where the file has it, from the new zero."""
    window = open_window(clock(cuts=("Wave border", "Arbor hole"), controller="rs274"))
    window.station_machine()
    machine = machine_of(window)
    connect(qtbot, window, served)
    home(qtbot, window)
    zero_all(qtbot, window)
    move(qtbot, window, "Z", 6.0)
    tick_all(qtbot, window)
    assert run_button(window).isEnabled(), window.page("machine").what.why_not()
    said = []
    window.session.said.connect(lambda _kind, words: said.append(words))
    run_button(window).click()
    qtbot.waitUntil(lambda: machine.stage in (Stage.RUNNING, Stage.CHANGE), timeout=5_000)
    qtbot.waitUntil(lambda: machine.stage not in (Stage.RUNNING, Stage.MOVING), timeout=60_000)
    assert machine.stage is Stage.CHANGE, (machine.last, said)
    assert not button(window, "Go on").isEnabled()
    assert "bit A" in words_on(window.page("machine"))
    if power_goes:  # while the bit is being changed
        machine.disconnect_from()
        qtbot.waitUntil(lambda: bool(broken_runs()), timeout=5_000)
        assert "waited for its next part" in words_on(window.page("machine"))
        assert [one.words for one in machine.starts_for(broken_runs()[0])] == ["the next part"]
        connect(qtbot, window, served)
        home(qtbot, window)
    at = faulty.machine.motion.position
    move(qtbot, window, "X", CORNER[0] + 25.0 - at[0])
    move(qtbot, window, "Y", CORNER[1] + 40.0 - at[1])
    move(qtbot, window, "Z", CORNER[2] - 3.0 + 0.1 - at[2])  # the next bit is shorter: the machine comes 3 mm lower
    button(window, "Z zero here").click()
    qtbot.waitUntil(lambda: machine.now.zero == pytest.approx((*CORNER[:2], CORNER[2] - 3.0), abs=2e-3), timeout=5_000)
    page = window.page("machine")
    (page.mishap._is_checked if power_goes else page.what.run._is_in).click()
    begin = len(faulty.machine.motion.log)
    button(window, "Go on").click()
    qtbot.waitUntil(lambda: machine.running is None and machine.stage is Stage.READY, timeout=60_000)
    assert machine.last[1].state == "done", machine.last
    assert broken_runs() == []
    way = log_of(faulty)[begin:] - (*CORNER[:2], CORNER[2] - 3.0)
    plan, board = window.session.planning.plan, window.session.board
    hole = next(k for k, cut in enumerate(board.cuts) if cut.name == "Arbor hole")
    own = plan.cuts[hole].toolpath.xyz
    cut = way[way[:, 2] < 0]
    assert cut[:, 2].min() == pytest.approx(own[:, 2].min(), abs=2e-3)
    assert np.abs(cut[:, :2] - np.median(own[:, :2], axis=0)).max() < 5.0
    flat = np.hypot(*np.diff(way[:, :2], axis=0).T) > 1e-6
    first = int(np.argmax(flat))
    assert way[first, 2] >= machine.park - 0.01  # up before it goes over the place


class TestByKeyboard:
    def test_the_pad_leads_while_it_has_the_focus_and_typing_elsewhere_moves_nothing(
        self, window, qtbot, served, faulty
    ):
        connect(qtbot, window, served)
        home(qtbot, window)
        pad = window.findChild(JogPad)
        pad.setFocus()
        for key, axis, by in ((Qt.Key.Key_Right, 0, 5.0), (Qt.Key.Key_Up, 1, 5.0), (Qt.Key.Key_PageDown, 2, -5.0)):
            QTest.keyClick(pad, key)
            qtbot.waitUntil(lambda a=axis, b=by: abs(faulty.machine.motion.position[a] - b) < 1e-6, timeout=8_000)
            stands(qtbot, window)
        QTest.keyClick(pad, Qt.Key.Key_Minus)
        QTest.keyClick(pad, Qt.Key.Key_Left)
        qtbot.waitUntil(lambda: abs(faulty.machine.motion.position[0] - 4.5) < 1e-6, timeout=8_000)
        stands(qtbot, window)
        edit = field(window, "Distance to move")
        edit.setFocus()
        for key in (Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_PageDown, Qt.Key.Key_Plus, Qt.Key.Key_1):
            QTest.keyClick(edit, key)
        QTest.keyClick(edit, Qt.Key.Key_Escape)
        QTest.qWait(400)
        assert faulty.machine.motion.position == pytest.approx((4.5, 5.0, -5.0))

    def test_a_held_key_moves_until_it_is_let_go_or_the_focus_goes(self, window, qtbot, served, faulty):
        connect(qtbot, window, served)
        home(qtbot, window)
        pad = window.findChild(JogPad)
        for let_go in ("key", "focus"):
            pad.setFocus()
            button(window, "slow").click()
            pad.setFocus()
            before = faulty.machine.motion.position[0]
            QTest.keyPress(pad, Qt.Key.Key_Right)
            for _ in range(6):
                QApplication.sendEvent(
                    pad, QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Right, Qt.KeyboardModifier.NoModifier, "", True)
                )
                QTest.qWait(50)
            assert faulty.machine.motion.position[0] > before + 1.0
            if let_go == "key":
                QTest.keyRelease(pad, Qt.Key.Key_Right)
            else:
                window.plan.setFocus()
            qtbot.waitUntil(lambda: machine_of(window)._held is None, timeout=5_000)
            QTest.qWait(600)  # between two pieces of a jog it stands, too
            stood = faulty.machine.motion.position
            QTest.qWait(500)
            assert faulty.machine.motion.position == pytest.approx(stood, abs=0.05)

    def test_a_held_key_is_one_press_however_the_screen_repeats_it(self, qtbot):
        """Some tell each repeat as a letting go and a press, which would be a step each."""
        pad = JogPad()
        qtbot.addWidget(pad)
        pad.show()
        pad.setFocus()
        heard = []
        pad.pressed.connect(lambda way: heard.append(way))
        pad.released.connect(lambda: heard.append("let go"))
        QTest.keyPress(pad, Qt.Key.Key_Right)
        for _ in range(8):
            QTest.keyRelease(pad, Qt.Key.Key_Right)
            QTest.keyPress(pad, Qt.Key.Key_Right)
            QTest.qWait(30)
        assert heard == [(1, 0, 0)]
        QTest.keyRelease(pad, Qt.Key.Key_Right)
        qtbot.waitUntil(lambda: heard == [(1, 0, 0), "let go"], timeout=1_000)
        QTest.keyClick(pad, Qt.Key.Key_Right)
        qtbot.waitUntil(lambda: len(heard) == 4, timeout=1_000)

    @pytest.mark.parametrize("unit", ["mm", "in"])
    def test_nothing_on_the_page_is_wider_than_the_page(self, window, qtbot, served, unit):
        session = window.session
        session.apply(edits.change_job(session.job, "Unit", unit=Unit(unit)))
        connect(qtbot, window, served)
        home(qtbot, window)
        page = window.page("machine")
        page.where._fold.open()
        for choice in ("plate", "paper"):
            page.where._choose_with(choice)
            QTest.qWait(50)
            area = page.widget.findChild(QScrollArea)
            assert area.widget().minimumSizeHint().width() <= area.viewport().width()

    def test_every_part_of_the_page_is_reached_by_tab(self, window, qtbot, served):
        connect(qtbot, window, served)
        home(qtbot, window)
        page = window.page("machine").widget
        wanted = {
            w.text()
            for w in page.findChildren(type(button(window, "Home")))
            if w.isVisible() and w.isEnabled() and w.text()
        }
        seen = set()
        window.page("machine").where._home.setFocus()
        for _ in range(120):
            focused = QApplication.focusWidget()
            if focused is not None and hasattr(focused, "text") and callable(focused.text):
                seen.add(focused.text())
            if isinstance(focused, JogPad):
                seen.add("pad")
            QTest.keyClick(focused, Qt.Key.Key_Tab)
        assert wanted <= seen, wanted - seen
        assert "pad" in seen


class TestStop:
    @pytest.mark.parametrize("from_", ["page", "header", "key", "dialog", "typing"])
    def test_it_stops_from_anywhere(self, window, qtbot, served, faulty, from_):
        connect(qtbot, window, served)
        home(qtbot, window)
        machine_of(window).jog((500.0, 0.0, 0.0), 600.0)
        qtbot.waitUntil(lambda: faulty.machine.motion.speed > 5, timeout=5_000)
        match from_:
            case "page":
                QTest.mouseClick(window.page("machine").halt, Qt.MouseButton.LeftButton)
            case "header":
                window.show_station("cuts")
                QTest.mouseClick(
                    next(w for w in window.findChildren(HaltButton) if w.isVisible()), Qt.MouseButton.LeftButton
                )
            case "key":
                window.show_station("board")
                QTest.keyClick(window.plan, Qt.Key.Key_F9)
            case "dialog":
                dialog = QDialog(window)
                dialog.setModal(True)
                dialog.show()
                QTest.keyClick(dialog, Qt.Key.Key_F9)
                dialog.close()
            case "typing":
                edit = field(window, "Distance to move")
                edit.setFocus()
                QTest.keyClicks(edit, "4")
                QTest.keyClick(edit, Qt.Key.Key_F9)
        qtbot.waitUntil(lambda: faulty.machine.motion.is_still, timeout=3_000)
        stood = faulty.machine.motion.position
        QTest.qWait(400)
        assert faulty.machine.motion.position == stood
        assert stood[0] < 490.0

    def test_without_a_link_there_is_nothing_red(self, window):
        assert not [w for w in window.findChildren(HaltButton) if w.isVisible()]
        assert "emergency" not in words_on(window)


class TestWhatIsTold:
    def test_a_port_that_is_none_is_a_sentence_on_the_page(self, window, qtbot):
        choose(window, "Machine at", "Another address …")
        type_into(window, "Address of the machine", "/dev/null")
        button(window, "Connect").click()
        qtbot.waitUntil(lambda: "another device" in words_on(window.page("machine")), timeout=10_000)
        assert machine_of(window).stage is Stage.NONE
        assert button(window, "Connect").isEnabled()

    def test_a_second_window_is_refused(self, window, qtbot, served):
        from archimetra.app.session.at_machine import AtMachine

        connect(qtbot, window, served)
        other = AtMachine(window.session, window.session.planning, window.session.playhead)
        other.connect_to(served.address)
        qtbot.waitUntil(lambda: bool(other.problem), timeout=10_000)
        assert "another window" in other.problem
        assert machine_of(window).opened is not None
        other.close()

    def test_a_file_for_another_control_is_told_before_anything_moves(self, window, qtbot, served, faulty):
        session = window.session
        session.apply(edits.change_job(session.job, "Controller", controller="rs274-inch"))
        settle(qtbot, window)
        connect(qtbot, window, served)
        home(qtbot, window)
        qtbot.waitUntil(lambda: bool(window.page("machine").what.files), timeout=20_000)
        tick_all(qtbot, window)
        said = []
        session.said.connect(lambda _kind, words: said.append(words))
        before = len(faulty.machine.motion.log)
        run_button(window).click()
        assert any("G43" in words and "Output page" in words for words in said)
        QTest.qWait(200)
        assert len(faulty.machine.motion.log) == before
        assert machine_of(window).running is None

    def test_a_board_that_does_not_fit_the_travel_from_this_zero_is_told(self, window, qtbot, served, faulty):
        connect(qtbot, window, served)
        home(qtbot, window)
        move(qtbot, window, "X", 400.0)
        button(window, "X Y zero here").click()
        qtbot.waitUntil(lambda: machine_of(window).now.zero == pytest.approx((400.0, 0.0, 0.0)), timeout=5_000)
        qtbot.waitUntil(lambda: bool(window.page("machine").what.files), timeout=20_000)
        tick_all(qtbot, window)
        said = []
        window.session.said.connect(lambda _kind, words: said.append(words))
        run_button(window).click()
        assert any("over right" in words and "travel" in words for words in said), said
        assert machine_of(window).running is None

    def test_the_height_it_is_traced_at_clears_the_clamps(self, window, qtbot, served, faulty):
        session = window.session
        clamped = replace(session.board, fixtures=(Fixture(x=10.0, y=10.0, rise=26.0),))
        session.apply(Edit("Clamp", with_boards(session.job, (clamped, *session.job.boards[1:]))))
        settle(qtbot, window)
        connect(qtbot, window, served)
        home(qtbot, window)
        zero_all(qtbot, window)
        qtbot.waitUntil(lambda: bool(window.page("machine").what.files), timeout=20_000)
        type_into(window, "In air, over zero", "3")
        before = len(faulty.machine.motion.log)
        button(window, "Trace its bounds in air").click()
        qtbot.waitUntil(lambda: machine_of(window).running is not None, timeout=5_000)
        qtbot.waitUntil(lambda: machine_of(window).running is None, timeout=30_000)
        way = log_of(faulty)[before:] - CORNER
        flat = np.hypot(*np.diff(way[:, :2], axis=0).T) > 1e-6
        assert way[1:, 2][flat].min() >= 26.0

    def test_zero_by_paper_and_by_plate_is_right_after_a_program_in_inches(self, window, qtbot, served, faulty):
        connect(qtbot, window, served)
        home(qtbot, window)
        to_corner(qtbot, window)
        faulty.machine.receive(b"G20 G91\n")
        button(window, "Z zero here").click()
        qtbot.waitUntil(lambda: faulty.machine.zero[2] == pytest.approx(CORNER[2], abs=1e-3), timeout=5_000)
        move(qtbot, window, "Z", 20.0)
        faulty.machine.receive(b"G20 G91\n")
        button(window, "Probe plate").click()
        hold_plate_to_bit(qtbot, window, faulty)
        button(window, "Touch the plate").click()
        stands(qtbot, window)
        assert faulty.machine.zero[2] == pytest.approx(CORNER[2], abs=1e-3)

    def test_a_plate_that_was_not_seen_touching_is_asked_about_before_the_bit_goes_down(
        self, window, qtbot, served, faulty
    ):
        connect(qtbot, window, served)
        home(qtbot, window)
        to_corner(qtbot, window)
        move(qtbot, window, "Z", 20.0)
        stood = faulty.machine.motion.position
        button(window, "Probe plate").click()
        words = words_on(window.page("machine"))
        assert "Hold the plate to the bit once" in words, words
        button(window, "Touch the plate").click()
        QTest.qWait(300)
        assert faulty.machine.motion.position == stood
        button(window, "Paper").click()  # thought better of: asked again the next time
        button(window, "Probe plate").click()
        button(window, "Touch the plate").click()
        assert faulty.machine.motion.position == stood
        hold_plate_to_bit(qtbot, window, faulty)
        assert "its wire is on" in words_on(window.page("machine"))
        button(window, "Touch the plate").click()
        stands(qtbot, window)
        assert faulty.machine.zero[2] == pytest.approx(CORNER[2], abs=1e-3)
        machine_of(window).disconnect_from()  # the wire may hang elsewhere by the next time
        connect(qtbot, window, served)
        assert not machine_of(window).plate_seen

    def test_who_knows_that_the_control_does_not_tell_may_go_down_all_the_same(self, window, qtbot, served, faulty):
        connect(qtbot, window, served)
        home(qtbot, window)
        to_corner(qtbot, window)
        move(qtbot, window, "Z", 20.0)
        button(window, "Probe plate").click()
        button(window, "Touch the plate").click()
        button(window, "Go down, seen or not").click()
        stands(qtbot, window)
        assert faulty.machine.zero[2] == pytest.approx(CORNER[2], abs=1e-3)

    def test_steps_that_were_lost_are_told_when_zero_is_found_again(self, window, qtbot, served, faulty):
        connect(qtbot, window, served)
        home(qtbot, window)
        zero_all(qtbot, window)
        said = []
        window.session.said.connect(lambda kind, words: said.append(words))
        move(qtbot, window, "X", 0.4)
        button(window, "X Y zero here").click()
        qtbot.waitUntil(lambda: any("Zero lies X 0.4 mm from where it was" in words for words in said), timeout=5_000)
        said.clear()
        move(qtbot, window, "X", 0.01)  # as well as a person finds it
        button(window, "X Y zero here").click()
        move(qtbot, window, "X", 80.0)  # another place altogether
        button(window, "X Y zero here").click()
        move(qtbot, window, "Z", 1.0)
        button(window, "Z zero here").click()
        qtbot.waitUntil(lambda: any("Zero lies Z" in words for words in said), timeout=5_000)
        assert sum("Zero lies" in words for words in said) == 1
        said.clear()
        machine_of(window).bit_comes_in(window.session.job.bits[0])  # another bit is as long as it is
        move(qtbot, window, "Z", 1.0)
        button(window, "Z zero here").click()
        stands(qtbot, window)
        assert not any("Zero lies" in words for words in said)

    def test_a_zero_the_control_does_not_go_by_is_told_and_not_counted_as_found(self, window, qtbot, served, faulty):
        connect(qtbot, window, served)
        home(qtbot, window)
        to_corner(qtbot, window)
        machine = machine_of(window)
        qtbot.waitUntil(lambda: bool(window.page("machine").what.files), timeout=20_000)
        tick_all(qtbot, window)
        ticked = set(machine.ticked)
        faulty.machine.receive(b"G55\n")  # somebody at the machine's own keys
        said = []
        window.session.said.connect(lambda kind, words: said.append((kind, words)))
        button(window, "X Y zero here").click()
        qtbot.waitUntil(lambda: any("all the same" in words for _, words in said), timeout=5_000)
        assert said[-1][0] == "stop"
        assert machine.ticked == ticked

    def test_a_thickness_that_is_no_number_sets_nothing(self, window, qtbot, served, faulty):
        connect(qtbot, window, served)
        home(qtbot, window)
        edit = field(window, "Paper")
        edit.setFocus()
        edit.selectAll()
        QTest.keyClicks(edit, "thin")
        before = faulty.machine.zero
        button(window, "Z zero here").click()
        QTest.qWait(300)
        assert faulty.machine.zero == before

    def test_ticks_go_with_what_they_were_about(self, window, qtbot, served):
        connect(qtbot, window, served)
        home(qtbot, window)
        qtbot.waitUntil(lambda: bool(window.page("machine").what.files), timeout=20_000)
        tick_all(qtbot, window)
        assert run_button(window).isEnabled()
        button(window, "Z zero here").click()
        qtbot.waitUntil(lambda: not run_button(window).isEnabled(), timeout=5_000)
        assert "Still to look at: Z zero" in words_on(window.page("machine"))


def test_a_bit_that_comes_in_again_is_looked_at_again(open_window, qtbot, served, faulty):
    """C, A, D, A: what was ticked of A the first time says nothing about how it sits the second time."""
    window = open_window(clock(cuts=("Wave border", "Arbor hole", "Star, pocket", "Outline")))
    window.station_machine()
    connect(qtbot, window, served)
    home(qtbot, window)
    zero_all(qtbot, window)
    what = window.page("machine").what
    qtbot.waitUntil(lambda: len(what.files) == 4, timeout=60_000)
    letters = [file.bits[0].letter for file in what.files]
    seen = set()
    for number, letter in enumerate(letters):
        what.choose(number)
        missing = {check.id.split()[0] for check in what.checks() if check.id not in machine_of(window).ticked}
        assert {"bit", "z"} <= missing, (number, letter, seen)
        machine_of(window).ticked |= {check.id for check in what.checks()}
        machine_of(window).bit_comes_in(what.file.bits[-1])
        seen.add(letter)
    assert letters[1] == letters[3]


class TestPlaces:
    def test_a_place_clicked_on_the_plan_is_gone_to_high_above_the_wood(self, window, qtbot, served, faulty):
        connect(qtbot, window, served)
        home(qtbot, window)
        zero_all(qtbot, window)
        move(qtbot, window, "Z", 5.0)
        before = len(faulty.machine.motion.log)
        button(window, "A place …").click()
        at = window.plan.view.to_screen(100.0, 200.0)
        window.plan.is_snapping = False
        QTest.mouseClick(window.plan, Qt.MouseButton.LeftButton, pos=at.toPoint())
        qtbot.waitUntil(lambda: machine_of(window).running is not None, timeout=5_000)
        qtbot.waitUntil(lambda: machine_of(window).running is None, timeout=20_000)
        way = log_of(faulty)[before:] - CORNER
        assert way[-1, :2] == pytest.approx((100.0, 200.0), abs=1.5)
        flat = np.hypot(*np.diff(way[:, :2], axis=0).T) > 1e-6
        assert way[1:, 2][flat].min() >= machine_of(window).park - 1e-3  # up before anything else
        assert machine_of(window).on_board() == pytest.approx((100.0, 200.0), abs=1.5)

    def test_a_board_that_lies_askew_turns_the_program_by_what_was_touched(self, window, qtbot, served, faulty):
        connect(qtbot, window, served)
        home(qtbot, window)
        zero_all(qtbot, window)
        move(qtbot, window, "Z", 8.0)
        page = window.page("machine")
        page.where._fold.open()
        page.refresh()
        first, second = (here for _, here in page.where._touch)
        first.click()
        move(qtbot, window, "X", 320.0)
        move(qtbot, window, "Y", 8.0)
        second.click()
        turn = np.degrees(np.arctan2(8.0, 320.0))
        assert machine_of(window).turn == pytest.approx(turn, abs=1e-3)
        assert f"{turn:+.3f}°" in words_on(page)
        assert machine_of(window).on_board() == pytest.approx(
            (np.hypot(320.0, 8.0), 0.0), abs=1e-2
        )  # the ring on the plan
        window.page("machine").where._go_corner((1.0, 1.0))  # and places of the board are where it lies
        qtbot.waitUntil(lambda: machine_of(window).running is not None, timeout=5_000)
        qtbot.waitUntil(lambda: machine_of(window).running is None, timeout=20_000)
        corner = shapely.affinity.rotate(shapely.Point(320, 320), turn, origin=(0, 0))
        assert (log_of(faulty)[-1] - CORNER)[:2] == pytest.approx((corner.x, corner.y), abs=1e-2)
        tick_all(qtbot, window)
        before = len(faulty.machine.motion.log)
        run_button(window).click()
        qtbot.waitUntil(lambda: (machine_of(window).now.line or 0) > 60, timeout=60_000)
        machine_of(window).stop()
        qtbot.waitUntil(lambda: machine_of(window).running is None, timeout=5_000)
        went = log_of(faulty)[before:] - CORNER
        went = went[went[:, 2] < 0][:, :2]
        board, plan = window.session.board, window.session.planning.plan
        wave = next(k for k, cut in enumerate(board.cuts) if cut.name == "Wave border")
        path = shapely.LineString(plan.cuts[wave].toolpath.xyz[:, :2])
        turned = shapely.affinity.rotate(path, turn, origin=(0, 0))
        assert len(went) > 20
        assert "askew" in words_on(page)  # and is looked at before each file
        machine_of(window).disconnect_from()
        assert machine_of(window).turn  # the board lies as it lay
        window.boards.add_board()
        assert not machine_of(window).turn  # another board lies otherwise
        # the run's arcs are ends alone here: what lies between them is off by their bulge at most
        assert shapely.distance(turned, shapely.points(went)).max() < 1.5
        assert shapely.distance(path, shapely.points(went)).max() > 4.0


def test_a_window_that_is_closed_while_it_runs_asks_and_stops_the_machine(window, qtbot, served, faulty, monkeypatch):
    from PySide6.QtWidgets import QMessageBox

    begin_to_run(qtbot, window, served)
    answers = iter(["Stay", "Stop it and close"])

    def answer(box):
        wanted = next(answers)
        next(one for one in box.buttons() if one.text() == wanted).click()
        return 0

    monkeypatch.setattr(QMessageBox, "exec", answer)
    window.session.forget_changes()
    assert not window.close()
    assert machine_of(window).stage is Stage.RUNNING
    assert window.close()
    end = time.monotonic() + 5
    while not faulty.machine.motion.is_still and time.monotonic() < end:
        time.sleep(0.01)
    assert faulty.machine.motion.is_still

    def states():
        return [one.last.state for one in broken_runs()]

    with contextlib.suppress(qtbot.TimeoutError):
        qtbot.waitUntil(lambda: states() == ["stopped"], timeout=10_000)
    assert states() == ["stopped"]


def test_it_is_stopped_before_anything_else_is_asked(window, qtbot, served, faulty, monkeypatch):
    from PySide6.QtWidgets import QMessageBox

    begin_to_run(qtbot, window, served)
    window.session.apply(edits.change_board(window.session.job, window.session.board_id, "Name", name="Other"))
    asked = []

    def answer(box):
        is_about_machine = "machine" in box.windowTitle()
        if not is_about_machine:
            end = time.monotonic() + 5
            while not faulty.machine.motion.is_still and time.monotonic() < end:
                time.sleep(0.01)
        asked.append((is_about_machine, faulty.machine.motion.is_still))
        wanted = "Stop it and close" if is_about_machine else "Stay"
        next(one for one in box.buttons() if one.text() == wanted).click()
        return 0

    monkeypatch.setattr(QMessageBox, "exec", answer)
    assert not window.close()
    assert [about for about, _ in asked] == [True, False]
    assert asked[1][1], "it went on cutting while the person was asked about the job"
    qtbot.waitUntil(lambda: machine_of(window).running is None, timeout=10_000)
    qtbot.waitUntil(lambda: machine_of(window).stage is Stage.READY, timeout=10_000)
    window.session.forget_changes()


def test_planning_and_drawing_stand_back_while_a_machine_is_linked(window, qtbot, served):
    qtbot.waitUntil(lambda: len(multiprocessing.active_children()) >= 2, timeout=10_000)
    connect(qtbot, window, served)

    def niceness():
        return {
            os.getpriority(os.PRIO_PROCESS, int(thread.name))
            for worker in multiprocessing.active_children()
            for thread in Path(f"/proc/{worker.pid}/task").iterdir()
        }

    qtbot.waitUntil(lambda: niceness() == {BACK}, timeout=5_000)
    machine_of(window).disconnect_from()
    if os.geteuid() == 0:  # others may only go further back
        assert niceness() == {0}


class TestOtherControls:
    @pytest.fixture
    def faulty(self, request):
        build = dataclasses.replace(TERSE, plate=CORNER[2] + 15.0, travel=(400.0, 610.0, 90.0), settings={32: 1.0})
        return Faulty(StandIn(build), [])

    def test_one_that_counts_below_zero_has_its_own_travel_and_its_figures_are_taken_on_asking(
        self, window, qtbot, served, faulty
    ):
        machine, session = machine_of(window), window.session
        connect(qtbot, window, served)
        words = words_on(window.page("machine"))
        assert "set for a laser" in words
        assert "400 mm of travel in X, not 610" in words
        home(qtbot, window)  # at the back on the right, two millimetres off its switches
        assert machine.now.at == (-2.0, -2.0, -2.0)
        assert machine.reach == ((-400.0, -610.0, -90.0), (0.0, 0.0, 0.0))  # whatever the shop says of where home is
        type_into(window, "Distance to move", "-5000")
        button(window, "Move").click()
        qtbot.waitUntil(lambda: faulty.machine.motion.position[0] == pytest.approx(-400.0), timeout=20_000)
        button(window, "Take its figures").click()
        assert session.job.machine.travel_x == 400.0
        assert SHOP.load().named(session.job.machine.name).machine.travel_x == 400.0
        qtbot.waitUntil(lambda: "not 610" not in words_on(window.page("machine")), timeout=5_000)
        assert "set for a laser" in words_on(window.page("machine"))
        session.undo()
        assert session.job.machine.travel_x == 610.0

    @pytest.mark.parametrize(
        ("home_at", "at", "low"),
        [((0.0, 0.0), (-398.0, -608.0), (-400.0, -610.0)), ((1.0, 0.0), (-2.0, -608.0), (-400.0, -610.0))],
    )
    def test_wherever_its_switches_are(self, window, qtbot, faulty, home_at, at, low):
        faulty.machine.build = dataclasses.replace(faulty.machine.build, home=home_at)
        with Served(faulty, port=0, speed=10.0) as served:
            connect(qtbot, window, served)
            home(qtbot, window)
            assert machine_of(window).now.at[:2] == pytest.approx(at)
            assert machine_of(window).reach[0][:2] == low

    def test_a_control_that_begins_anew_by_itself_is_to_be_homed_again(self, window, qtbot, served, faulty):
        machine = machine_of(window)
        connect(qtbot, window, served)
        home(qtbot, window)
        stands(qtbot, window)
        faulty.machine.reset()
        qtbot.waitUntil(lambda: not machine.is_homed, timeout=5_000)
        assert "began anew by itself" in window.notices.text

    def test_a_switch_that_is_pressed_is_told_as_long_as_it_is(self, window, qtbot, served, faulty):
        connect(qtbot, window, served)
        faulty.machine.pressed = "XZ"
        page = window.page("machine")
        qtbot.waitUntil(lambda: "A limit switch is pressed: X and Z." in words_on(page), timeout=5_000)
        faulty.machine.pressed = ""
        qtbot.waitUntil(lambda: "limit switch" not in words_on(page), timeout=5_000)

    def test_a_limit_that_is_hit_while_it_is_led_is_to_be_homed_again(self, window, qtbot, served, faulty):
        machine = machine_of(window)
        connect(qtbot, window, served)
        home(qtbot, window)
        stands(qtbot, window)
        type_into(window, "Distance to move", "-300")
        button(window, "Move").click()
        QTest.qWait(100)
        faulty.plan([Fault(Kind.LIMIT, 0.0)])
        qtbot.waitUntil(lambda: not machine.is_homed and machine.stage is Stage.LOCKED, timeout=5_000)
