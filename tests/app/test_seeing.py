"""Seeing: what the plan shows, the tilted view, section lines, the Check station, stretches played again and again."""

from __future__ import annotations

import re

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu

from app.conftest import settle
from app.gestures import button, choose, drag, type_into, words_on
from archimetra.app.views.shown import SETTINGS, Paths, Shown, is_on, toggled
from archimetra.base.findings import Severity
from archimetra.edits import cutting
from archimetra.geometry.path import Path
from archimetra.job.cuts.pocket import PocketCut
from archimetra.job.file import JobFile, decode_job, encode_job
from archimetra.job.ids import BitId
from archimetra.job.job import with_boards
from archimetra.job.sheet import Sheet
from cutting_board import board_with
from shapes import replace, straight_bit


def colours(widget) -> np.ndarray:
    image = widget.grab().toImage().convertToFormat(widget.grab().toImage().Format.Format_RGB32)
    return np.frombuffer(image.constBits(), np.uint32).reshape(image.height(), image.width()).copy()


def squares_with_corners() -> JobFile:
    """A square pocket cut by a 6 mm bit, with a 2 mm bit in the job."""
    job, board, _ = board_with(
        Path.rectangle(0, 0, 60, 40),
        kind=PocketCut,
        sheet=Sheet(width=200, height=150, readings=(18.0,)),
        end_depth=5.0,
    )
    fine = replace(straight_bit(2.0, cutting_length=8.0), id=BitId("bit9"), name="2 mm straight", place=5)
    return JobFile(with_boards(replace(job, bits=(*job.bits, fine)), (board,)), {})


class TestShow:
    def test_settings_and_rows_are_values(self):
        for name, setting in SETTINGS.items():
            assert setting.name == name
        mixed = toggled(SETTINGS["wood"], "travel")
        assert mixed.name == ""
        assert toggled(mixed, "travel") == SETTINGS["wood"]
        assert toggled(Shown(), "all").paths is Paths.ALL
        assert toggled(toggled(Shown(), "all"), "all").paths is Paths.NONE
        assert is_on(Shown(), "picked")
        assert not is_on(Shown(), "all")

    def test_one_key_shows_the_wood_and_each_station_keeps_its_own(self, open_window, qtbot):
        window = open_window()
        window.show_station("cuts")
        window.session.show_cut(window.session.board.cuts[-1].id)
        window.plan.setFocus()
        layers = (window.plan._artwork, window.plan._paths, window.plan._bridges)
        window.plan.repaint()
        qtbot.waitUntil(lambda: all(layer.is_idle for layer in layers), timeout=10_000)
        work = colours(window.plan)
        QTest.keyClick(window.plan, Qt.Key.Key_1)
        QTest.qWait(100)
        wood = colours(window.plan)
        assert window.shows.shown == SETTINGS["wood"]
        assert (work != wood).mean() > 0.005
        window.show_station("artwork")
        assert window.shows.shown == SETTINGS["lines"]
        window.show_station("cuts")
        assert window.shows.shown == SETTINGS["wood"]
        QTest.keyClick(window.plan, Qt.Key.Key_V)
        assert window.shows.shown.travel
        assert window.actions_by_id["show-travel"].isChecked()
        assert button(window, "Wood").isChecked() is False
        QTest.keyClick(window.plan, Qt.Key.Key_2)
        qtbot.waitUntil(lambda: (colours(window.plan) != work).mean() < 0.001, timeout=10_000)

    def test_what_is_not_shown_cannot_be_taken_hold_of(self, open_window):
        window = open_window()
        window.shows.wood()
        before = window.session.playhead.line
        end = window.plan.view.to_screen(*before[0])
        drag(window.plan, end, end + QPointF(0, -40))
        assert window.session.playhead.line == before

    def test_looked_at_closely_the_stock_comes_in_finer_cells(self, open_window, qtbot):
        window = open_window()
        session = window.session
        assert session.seeing.closer is None
        window.plan.show_box((150.0, 150.0, 158.0, 155.0))
        qtbot.waitUntil(lambda: session.seeing.closer is not None, timeout=20_000)
        part = session.seeing.closer
        cell = (part.extent[2] - part.extent[0]) / part.image.width()
        assert cell < session.playhead.stock.cell / 3
        assert part.extent[0] < 151
        assert part.extent[2] > 157
        session.playhead.go_to(0.0)
        qtbot.waitUntil(lambda: session.seeing.closer is not part, timeout=20_000)  # it follows the moment
        window.fit()
        qtbot.waitUntil(lambda: session.seeing.closer is None, timeout=20_000)


class TestTilted:
    def test_the_key_tilts_and_brings_back_and_the_picture_follows(self, open_window, qtbot):
        window = open_window()
        window.plan.setFocus()
        QTest.keyClick(window.plan, Qt.Key.Key_T)
        tilted = window.tilted
        assert window.tilting.is_shown
        qtbot.waitUntil(lambda: tilted._image is not None, timeout=20_000)
        assert len(np.unique(colours(tilted))) > 500
        first = tilted.view
        drag(tilted, QPointF(400, 200), QPointF(460, 170))
        assert tilted.view.turn == pytest.approx(first.turn + 24, abs=1.5)
        assert tilted.view.above == pytest.approx(first.above - 9, abs=1.5)
        tilted.setFocus()
        QTest.keyClick(tilted, Qt.Key.Key_Left)
        assert tilted.view.turn == pytest.approx(first.turn + 19, abs=1.5)
        for _ in range(40):
            QTest.keyClick(tilted, Qt.Key.Key_Up)
        assert tilted.view.above == 90.0
        button(window, "Front").click()
        assert (tilted.view.turn, tilted.view.above) == (0.0, 28.0)
        QTest.keyClick(tilted, Qt.Key.Key_T)
        assert not window.tilting.is_shown

    def test_zooming_keeps_what_lies_under_the_pointer(self, open_window):
        window = open_window()
        window.tilting.toggle()
        tilted = window.tilted
        at = QPointF(300.0, 150.0)
        before = tilted._board_at(at)
        tilted.zoom(2.5, at)
        assert tilted._board_at(at) == pytest.approx(before, abs=1e-6)

    def test_turned_over_the_other_face_is_seen(self, open_window, qtbot):
        window = open_window()
        window.tilting.toggle()
        tilted = window.tilted
        qtbot.waitUntil(lambda: tilted._image is not None, timeout=20_000)
        QTest.qWait(600)
        front = colours(tilted)
        button(window, "Turn over").click()
        qtbot.waitUntil(lambda: (front != colours(tilted)).mean() > 0.05, timeout=20_000)
        window.session.show_board(window.session.job.boards[0].id)


class TestSections:
    def test_several_lines_are_kept_with_the_job(self, open_window, qtbot):
        window = open_window()
        session, plan = window.session, window.plan
        a = session.playhead.line
        start = plan.view.to_screen(*a[0])
        drag(plan, start, start + QPointF(0, -60))
        kept = session.board.sections
        assert len(kept) == 1
        assert kept[0].ends == session.playhead.line
        button(window, "+").click()
        assert session.playhead.section == 1
        assert len(session.board.sections) == 2
        assert "Section B" in words_on(window.section)
        (other,) = session.playhead.other_lines
        assert other[0] == "A"
        QTest.mouseClick(plan, Qt.MouseButton.LeftButton, pos=plan.view.to_screen(*other[1][0]).toPoint())
        assert session.playhead.section == 0
        again = decode_job(encode_job(session.job), name="again")
        assert again.boards[0].sections == session.board.sections
        window.undo()
        assert session.playhead.section_count == 1
        button(window, "+").click()
        button(window, "−").click()
        assert session.playhead.section_count == 1
        settle(qtbot, window)

    def test_undo_moves_the_line_back(self, open_window, qtbot):
        window = open_window()
        session = window.session
        before = session.playhead.line
        session.playhead.shift_line(12.0)
        moved = session.playhead.line
        assert moved != before
        window.undo()
        assert session.playhead.line == before
        qtbot.waitUntil(lambda: session.playhead.moment.line == before, timeout=10_000)

    def test_it_is_saved_to_scale(self, open_window, tmp_path, qtbot):
        window = open_window()
        window.exporting.write_section(tmp_path / "s.svg")
        text = (tmp_path / "s.svg").read_text()
        width_mm = float(re.search(r'width="([\d.]+)mm"', text).group(1))
        (ax, _), (bx, _) = window.session.playhead.line
        assert width_mm == pytest.approx(bx - ax, abs=45)  # its margins for figures beside it
        assert "polyline" in text or "path" in text
        window.exporting.write_section(tmp_path / "s.png")
        assert (tmp_path / "s.png").read_bytes().startswith(b"\x89PNG")
        window.exporting.write_section(tmp_path / "no" / "s.svg")
        assert "could not be written" in words_on(window)

    def test_wood_within_the_shank_is_marked(self, open_window):
        from archimetra.app.views.section_layers import shank_in_wood

        window = open_window()
        data = window.section.canvas._data
        n = len(data.heights)
        s = np.linspace(0.0, data.length, n)
        slim = straight_bit(3.0, shank=6.0, cutting_length=5.0)
        middle = data.length / 2
        groove = np.where(np.abs(s - middle) < 1.5, -9.0, 0.0)
        deep = replace(data, heights=groove, bit=slim, bit_at=middle, bit_off=0.0, bit_z=-9.0)
        where = shank_in_wood(deep)
        step = data.length / (n - 1)
        assert where.sum() * step == pytest.approx(3.0, abs=4 * step)  # 1.5 mm on either side
        assert shank_in_wood(replace(deep, bit_z=-5.0)) is None
        assert shank_in_wood(replace(deep, bit=replace(slim, shank=3.0))) is None
        assert shank_in_wood(replace(deep, bit_off=3.5)) is None
        window.section.show_section(deep)
        marked = colours(window.section.canvas)
        window.section.show_section(replace(deep, bit_z=-5.0, heights=groove + 0.0))
        assert (marked != colours(window.section.canvas)).any()

    def test_slopes_are_read(self, open_window):
        from archimetra.app.views.section_canvas import _slope_words

        window = open_window()
        data = window.section.canvas._data
        n = len(data.heights)
        step = data.length / (n - 1)
        sloped = replace(data, heights=-np.abs(np.arange(n) - n // 2) * step * np.tan(np.radians(60)))
        assert _slope_words(sloped, n // 4) == ", slope 60°"
        assert _slope_words(sloped, n // 2) == ""
        assert _slope_words(replace(data, heights=np.zeros(n)), n // 4) == ""


def check_panel(window, name: str):
    window.show_station("check")
    page = window.page("check")
    page.show_panel(name)
    QTest.qWait(50)
    return page.panel_named(name)


def left_loose(window, qtbot):
    """The board's last cut, an outline, without its tabs: a finding to show."""
    session = window.session
    outline = session.board.cuts[-1]
    session.apply(cutting.change_cut(session.job, outline.id, "", tabs=replace(outline.tabs, count=0)))
    settle(qtbot, window)
    return outline


class TestCheck:
    def test_findings_are_shown_mended_and_dismissed(self, open_window, qtbot):
        window = open_window()
        session = window.session
        outline = left_loose(window, qtbot)
        panel = check_panel(window, "Findings")
        loose = next(f for _, f in panel.told() if f.code == "loose-part")
        assert loose.subject == outline.id
        assert window.rail._buttons["check"].text() == f"Check {len(session.findings)}"
        count = len(session.findings)
        button(window, "Dismiss").click()
        settle(qtbot, window)
        assert len(session.findings) == count - 1
        assert len(window.plan.finding_marks._found) <= count - 1
        panel._recall.click()
        settle(qtbot, window)
        assert len(session.findings) == count
        QTest.qWait(50)
        button(window, "Add tabs").click()
        settle(qtbot, window)
        assert session.board.cut(outline.id).tabs.count == 4
        assert "loose-part" not in [f.code for f in session.findings]
        window.undo()

    def test_a_place_is_shown_in_all_views(self, open_window, qtbot):
        window = open_window()
        session = window.session
        left_loose(window, qtbot)
        panel = check_panel(window, "Findings")
        board, finding = next(one for one in panel.told() if one[1].at is not None)
        panel.show_place(board.id, finding)
        settle(qtbot, window)
        middle = window.plan.middle()
        assert middle == pytest.approx(finding.at, abs=0.5)
        (ax, ay), (bx, by) = session.playhead.line
        assert ay == by == pytest.approx(finding.at[1])
        assert ax < finding.at[0] < bx
        assert session.playhead.seconds > 0
        assert session.board.sections == ()  # the board's own line stays where it was, and leads back
        session.playhead.shift_line(1.0)
        assert session.board.sections == ()
        session.playhead.shift_line(-1.0)
        QTest.qWait(50)
        button(window, "+").click()
        assert [s.ends for s in session.board.sections][1] == ((ax, ay), (bx, by))
        button(window, "A").click()
        assert session.playhead.line != ((ax, ay), (bx, by))
        assert "Section A" in words_on(window.section)

    def test_many_of_a_kind_are_folded_and_opened(self, open_window, qtbot):
        window = open_window()
        session = window.session
        session.apply(cutting.reorder_cut(session.job, session.board.id, session.board.cuts[-1].id, 0))
        settle(qtbot, window)
        panel = check_panel(window, "Findings")
        inside = [f for _, f in panel.told() if f.code == "order-inside"]
        assert len(inside) > 2
        words = words_on(panel)
        assert sum(words.count(f"'{session.board.cut(f.subject).name}' lies inside") for f in inside) == 1
        button(window, f"{len(inside) - 1} more like this").click()
        QTest.qWait(50)
        assert words_on(panel).count("lies inside") == len(inside)
        assert all(f.severity is Severity.CAUTION for f in inside)

    def test_what_is_left_standing_and_the_cut_that_takes_it(self, open_window, qtbot):
        window = open_window(squares_with_corners())
        session = window.session
        panel = check_panel(window, "Left standing")
        qtbot.waitUntil(lambda: panel.left is not None, timeout=30_000)
        panel.refresh()
        (left,) = panel.left
        assert left.count == 4
        assert "4 corners too tight for the bit." in words_on(panel)
        assert "2 mm straight gets to" in words_on(panel)
        assert len(window.plan.left_marks.spots) == 4
        panel.show_next(left)
        assert window.plan.middle() == pytest.approx(left.spots[0].at, abs=0.5)
        button(window, "Add that cut").click()
        settle(qtbot, window)
        rest = session.board.cuts[-1]
        assert (rest.bit, rest.parent) == ("bit9", left.cut)
        qtbot.waitUntil(lambda: panel.left is not None, timeout=30_000)
        assert sum(one.area for one in panel.left) < 0.3 * left.area
        window.show_station("cuts")
        assert window.plan.left_marks.spots == []

    def test_times_add_up(self, open_window, qtbot):
        from archimetra.output.times import clock

        window = open_window()
        plan = window.session.planning.plan
        panel = check_panel(window, "Times")
        # rows come anew whenever another board's plan is known, and are in sight an instant later
        qtbot.waitUntil(lambda: clock(plan.times.total) in words_on(panel))
        assert panel._in_air(plan) + float(plan.times.pauses.sum()) < plan.times.total

    def test_the_same_cut_another_way_and_kept(self, open_window, qtbot):
        window = open_window()
        session = window.session
        outline = session.board.cuts[-1]
        session.show_cut(outline.id)
        panel = check_panel(window, "Compare")
        panel._compare()
        assert "Choose another bit" in words_on(panel)
        bit = session.job.bit(outline.bit)
        feed = outline.recipe(bit, session.board.sheet.material).feed
        type_into(window, "Feed", f"{feed / 2:g}")
        panel._compare()
        qtbot.waitUntil(lambda: panel._made is not None, timeout=30_000)
        QTest.qWait(50)
        assert "As it is" in words_on(panel)
        assert "Tried" in words_on(panel)
        now, then = panel._made.trials
        assert then.seconds > now.seconds
        one, other = panel._maps
        through = session.board.sheet.thickest
        assert now.depths.max() == pytest.approx(through)  # the outline goes through, and the map shows its slot
        slot = np.argwhere(now.depths > through - 0.01)[0]
        ny, nx = now.depths.shape
        u, v = (slot[1] + 0.5) / nx, (slot[0] + 0.5) / ny
        place = one.place
        at = QPoint(round(place.x() + u * place.width()), round(place.y() + v * place.height()))
        plain = colours(other)
        QTest.mouseMove(one, at)
        qtbot.waitUntil(lambda: other._at is not None)
        assert other.depth_at((u, v)) == pytest.approx(through)
        assert not np.array_equal(colours(other), plain)  # the same place is marked there
        panel._shows.button("wood").click()
        assert panel._shows.value == "wood"
        button(window, "Keep the other").click()
        changed = session.board.cut(outline.id)
        assert changed.recipe(bit, session.board.sheet.material).feed == pytest.approx(feed / 2)
        settle(qtbot, window)

    def test_a_number_that_cannot_be_is_refused_beside_its_field(self, open_window):
        window = open_window()
        window.session.show_cut(window.session.board.cuts[-1].id)
        panel = check_panel(window, "Compare")
        type_into(window, "Stepover", "400")
        assert "1 to 95" in words_on(panel)
        choose(window, "Cut", window.session.board.cuts[0].name)
        assert window.session.cut_id == window.session.board.cuts[0].id


class TestWhereFilesBegin:
    def test_a_mark_is_set_dragged_to_another_cut_and_off(self, open_window, qtbot):
        window = open_window()
        session, lane = window.session, window.sequence.lane
        order = list(dict.fromkeys(block.cut for block in lane._blocks))
        session.show_cut(order[1])
        window.actions_by_id["new-file"].trigger()
        assert session.board.cut(order[1]).begins_file
        number = next(k for k, block in enumerate(lane._blocks) if block.cut == order[1])
        assert lane._blocks[number].begins_file

        def mark(k):
            return QPointF(lane._gate_x(k), 24 if lane._blocks[k].starts_gate else 8)

        other = next(k for k, block in enumerate(lane._blocks) if block.cut == order[2])
        plan = session.planning.plan
        drag(lane, mark(number), QPointF(lane.edges[other][0] + 6, 8))
        assert [cut.id for cut in session.board.cuts if cut.begins_file] == [order[2]]
        assert session.planning.plan is plan  # nothing is planned anew
        moved = next(k for k, block in enumerate(lane._blocks) if block.begins_file)
        assert lane._blocks[moved].cut == order[2]
        drag(lane, mark(moved), QPointF(2, 8))
        assert not any(cut.begins_file for cut in session.board.cuts)
        session.undo()
        assert session.board.cut(order[2]).begins_file

    def test_a_press_on_a_mark_alone_moves_nothing(self, open_window, qtbot):
        window = open_window()
        session, lane = window.session, window.sequence.lane
        cut = lane._blocks[1].cut
        session.show_cut(cut)
        window.actions_by_id["new-file"].trigger()
        job, seconds = session.job, session.playhead.seconds
        place = QPoint(round(lane._gate_x(1)), 24 if lane._blocks[1].starts_gate else 8)
        QTest.mouseClick(lane, Qt.MouseButton.LeftButton, pos=place)
        assert session.job is job
        assert session.playhead.seconds == seconds


class TestSequence:
    def test_a_stretch_is_played_again_and_again(self, open_window, qtbot):
        window = open_window()
        session, lane = window.session, window.sequence.lane
        session.show_cut(session.board.cuts[0].id)
        window.sequence.toggle_loop()
        begin, end = window.playback.loop
        block = next(b for b in lane._blocks if b.cut == session.cut_id)
        assert (begin, end) == (block.begin, block.end)
        window.playback.set_speed(500)
        window.playback.toggle()
        seen: list[float] = []
        session.playhead.moved.connect(lambda: seen.append(session.playhead.seconds))
        qtbot.waitUntil(
            lambda: any(b < a for a, b in zip(seen, seen[1:], strict=False)), timeout=20_000
        )  # it began anew
        window.playback.stop()
        assert all(begin - 1e-6 <= s <= end + 1e-6 for s in seen)
        window.sequence.toggle_loop()
        assert window.playback.loop is None
        y = lane.height() - 8
        QTest.mousePress(lane, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, QPoint(120, y))
        QTest.mouseMove(lane, QPoint(260, y))
        QTest.mouseRelease(lane, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, QPoint(260, y))
        a, b = window.playback.loop
        assert (lane.x_of(a), lane.x_of(b)) == pytest.approx((120, 260), abs=2)

    def test_zoomed_in_the_moment_under_the_pointer_stays(self, open_window):
        window = open_window()
        lane = window.sequence.lane
        before = lane.seconds_at(300.0)
        lane.zoom(5.0, 300.0)
        assert lane.seconds_at(300.0) == pytest.approx(before, abs=window.session.planning.plan.times.total / 400)
        wide = lane.edges[-1][1] - lane.edges[0][0]
        lane.zoom(0.01, 300.0)
        assert lane.edges[-1][1] - lane.edges[0][0] < wide / 3

    def test_steps_by_pass(self, open_window, qtbot):
        window = open_window()
        session = window.session
        window.playback.go_to(0.0)
        times = []
        for _ in range(4):
            window.playback.step_passes(1)
            times.append(session.playhead.seconds)
        assert times == sorted(set(times))
        for want in reversed(times[:-1]):
            window.playback.step_passes(-1)
            assert session.playhead.seconds == pytest.approx(want)

    def test_when_is_this_cut(self, open_window):
        window = open_window()
        session, plan = window.session, window.plan
        run = session.planning.plan.run
        block = run.blocks[0]
        low = run.xyz[block.first : block.last]
        x, y, _ = low[np.argmin(low[:, 2])]
        menu = QMenu(window)
        window.looks.add_moments(menu, plan.mapToGlobal(plan.view.to_screen(float(x), float(y)).toPoint()))
        (inner,) = [a.menu() for a in menu.actions()]
        words = [a.text() for a in inner.actions()]
        name = session.board.cut(block.cut).name
        assert any(name in w and "deep" in w for w in words)
        inner.actions()[0].trigger()
        assert session.playhead.seconds > 0

    def test_a_risky_place_is_told_before_the_block_is_let_go(self, open_window):
        window = open_window()
        lane = window.sequence.lane
        last = lane._blocks[-1]
        at = lane.block_rect(len(lane._blocks) - 1).center()
        drag(lane, at, QPointF(20.0, at.y()), release=False)
        words, is_risky = lane._cost
        assert is_risky
        assert "inside" in words
        QTest.mouseRelease(lane, Qt.MouseButton.LeftButton)
        assert window.session.board.cuts[0].id == last.cut
        window.undo()


def test_every_board_gets_its_small_picture_while_nobody_waits(open_window, qtbot):
    from archimetra.edits.basic import add_board

    window = open_window()
    session = window.session
    session.planning._idle.setInterval(10)
    edit, new = add_board(session.job)
    session.apply(edit)
    made = []
    session.seeing.thumb_made.connect(lambda board, image: made.append((board, image.width())))
    session.planning._idle.start()
    qtbot.waitUntil(lambda: {b for b, _ in made} >= {new}, timeout=30_000)
    assert session.planning.plan_of(new) is not None
    assert session.findings_of(new) == ()
