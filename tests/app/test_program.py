"""A program of somebody's in the window: shown in all views, told, compared; the job's own cuts and files stay what they are."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint

from app.conftest import settle
from app.gestures import button, choose, words_on
from archimetra.edits import basic as edits
from archimetra.edits import cutting

SIGN = """(SIGN)
G21 G17 G90
S16000 M3
G0 Z5
G0 X40 Y40
G1 Z-2 F300
G1 X260 F1200
G0 X40
G1 Y200
G0 Z5
M30
"""


@pytest.fixture
def window(open_window):
    window = open_window()
    window.show_station("output")
    return window


@pytest.fixture
def sign(tmp_path):
    path = tmp_path / "sign.nc"
    path.write_text(SIGN)
    return path


def read(qtbot, window, path):
    window._dropped([str(path)])
    qtbot.waitUntil(
        lambda: window.session.programs.shown is not None and not window.session.programs.is_reading, timeout=30_000
    )
    key = window.session.planning.plan.run_key
    qtbot.waitUntil(lambda: window.session.playhead.stock is not None and window.session.playhead.stock.key == key)
    return window.output_page.program


class TestShown:
    def test_it_is_dropped_on_the_window_and_shown_in_every_view(self, window, qtbot, sign):
        before = window.session.planning.plan
        panel = read(qtbot, window, sign)
        plan = window.session.planning.plan
        assert plan is not before
        assert plan.times.total == pytest.approx(window.sequence.lane._total)
        assert "sign.nc is shown" in window.status.planning.text()
        assert "A rapid runs through the wood" in words_on(panel.form)
        assert [mark.code for mark in window.session.findings] == ["gcode-rapid"]
        # the deepest of the wood that is shown is the program's
        window.session.playhead.go_to(plan.times.total)
        qtbot.waitUntil(lambda: abs(window.session.playhead.moment.seconds - plan.times.total) < 1e-6)
        assert window.session.playhead.moment.heights.min() >= -2.0 - 1e-6

    def test_a_line_is_a_moment_and_a_moment_a_line(self, window, qtbot, sign):
        panel = read(qtbot, window, sign)
        ends = window.session.planning.plan.times.ends
        panel.code.choose(6)  # G1 X260
        assert window.session.playhead.seconds == pytest.approx(float(ends[4]))
        window.session.playhead.go_to(float(ends[5]))
        assert panel.code.here == 7
        button(panel.form, "line 8").click()
        assert window.session.playhead.seconds == pytest.approx(float(ends[5]))

    def test_blocks_of_it_are_not_dragged(self, window, qtbot, sign):
        from PySide6.QtCore import Qt
        from PySide6.QtTest import QTest

        read(qtbot, window, sign)
        job = window.session.job
        lane = window.sequence.lane
        place = lane.block_rect(0).center().toPoint()
        QTest.mousePress(lane, Qt.MouseButton.LeftButton, pos=place)
        QTest.mouseMove(lane, place + QPoint(80, 0))
        QTest.mouseRelease(lane, Qt.MouseButton.LeftButton, pos=place + QPoint(80, 0))
        assert window.session.job is job

    def test_a_bit_is_chosen_where_it_names_none(self, window, qtbot, sign):
        panel = read(qtbot, window, sign)
        bits = window.session.job.bits
        choose(window, "Bit", f"{bits[1].letter}  {bits[1].name}")
        qtbot.waitUntil(
            lambda: (
                window.session.planning.program is not None
                and window.session.planning.plan.run.blocks[0].bit == bits[1].id
            ),
            timeout=30_000,
        )
        assert panel.program.plan.run.blocks[0].bit == bits[1].id


class TestGone:
    def test_back_to_the_cuts(self, window, qtbot, sign):
        own = window.session.planning.plan
        qtbot.waitUntil(lambda: bool(window.session.planning.files), timeout=30_000)
        files = window.session.planning.files
        read(qtbot, window, sign)
        button(window.output_page.program.form, "Back to the cuts").click()
        settle(qtbot, window)
        assert window.session.planning.program is None
        assert window.session.planning.plan.run_key == own.run_key
        qtbot.waitUntil(lambda: bool(window.output_page.files), timeout=30_000)
        assert [file.text for file in window.output_page.files] == [file.text for file in files]

    @pytest.mark.parametrize("how", ["edit", "other board", "undo"])
    def test_with_the_job_it_was_shown_on(self, window, qtbot, sign, how):
        session = window.session
        if how == "undo":
            session.apply(cutting.change_cut(session.job, session.board.cuts[0].id, "", end_depth=1.0))
            settle(qtbot, window)
        if how == "other board":
            session.apply(edits.add_board(session.job)[0])
            settle(qtbot, window)
            session.show_board(session.job.boards[0].id)
            settle(qtbot, window)
        read(qtbot, window, sign)
        if how == "edit":
            session.apply(cutting.change_cut(session.job, session.board.cuts[0].id, "", end_depth=1.5))
        elif how == "undo":
            session.undo()
        else:
            session.show_board(session.job.boards[1].id)
        assert session.planning.program is None
        settle(qtbot, window)
        assert not session.planning.plan.run_key.startswith("program")

    def test_a_name_changed_leaves_it(self, window, qtbot, sign):
        """What no cut hangs on is no reason to drop it."""
        read(qtbot, window, sign)
        window.session.apply(edits.change_job(window.session.job, "Name", name="Another"))
        assert window.session.planning.program is not None

    def test_its_run_is_never_written_as_the_jobs(self, window, qtbot, sign, tmp_path):
        read(qtbot, window, sign)
        window.output_page.write_into(tmp_path / "out")
        assert not (tmp_path / "out").exists()
        assert "a program is shown" in window.notices.text
        assert window.session.board.written is None

    def test_a_plan_that_comes_while_it_is_shown_does_not_take_its_place(self, window, qtbot, sign):
        """Edited, and a program read before the plan has come."""
        session = window.session
        read(qtbot, window, sign)
        program = session.planning.program
        session.planning.end_program()
        settle(qtbot, window)
        session.apply(cutting.change_cut(session.job, session.board.cuts[0].id, "", end_depth=1.3))
        assert session.planning.is_planning
        session.planning.show_program(program)
        key = session.planning._wanted_key
        qtbot.waitUntil(lambda: session.planning._plans[session.board_id].key == key, timeout=60_000)
        assert session.planning.program is program
        assert not session.planning.is_planning
        session.planning.end_program()
        settle(qtbot, window)
        assert session.planning.plan.key == key
        assert not session.planning.plan.run_key.startswith("program")


class TestCompared:
    def test_with_the_boards_own_file_and_with_another(self, window, qtbot, sign, tmp_path, monkeypatch):
        qtbot.waitUntil(lambda: bool(window.session.planning.files), timeout=30_000)
        own = window.session.planning.files[0]
        copy = tmp_path / "copy.nc"
        copy.write_text(own.text.replace("G0", "G00"))
        panel = read(qtbot, window, copy)
        choose(window, "Compare with", own.name)
        qtbot.waitUntil(lambda: window.session.programs.differs is not None, timeout=30_000)
        assert "The same moves" in words_on(panel.form)
        other = tmp_path / "other.nc"
        lines = own.text.splitlines()
        number = next(k for k, line in enumerate(lines) if line.startswith("G1 X"))
        lines[number] = lines[number].replace("G1 X", "G1 X1")
        other.write_text("\n".join(lines))
        window.session.programs.compare(str(other))
        qtbot.waitUntil(lambda: window.session.programs.differs is not None, timeout=30_000)
        assert panel.differences.lines[0].startswith(f"{number + 1} | {number + 1}")
        panel.differences.choose(0)
        assert panel.code.currentIndex().row() == number


class TestLong:
    @pytest.fixture
    def long_one(self, tmp_path, monkeypatch):
        path = tmp_path / "long.nc"
        rows = "".join(f"G1 X{k % 300}.{k % 7} Y{k % 200}\n" for k in range(250_000))
        path.write_text(f"G21 G90\nM3 S9000\nG0 Z5\nG1 Z-1 F900\n{rows}G0 Z5\nM30\n")
        return path

    def test_its_beginning_is_shown_first_then_all_of_it(self, window, qtbot, long_one):
        seen = []
        window.session.planning.program_changed.connect(
            lambda: seen.append(window.session.programs.shown and window.session.programs.shown.is_whole)
        )
        read(qtbot, window, long_one)
        assert seen == [False, True]
        assert len(window.session.planning.plan.run) == 250_000 + 4
        assert window.session.findings == ()

    def test_files_asked_for_while_it_is_read_do_not_keep_it_from_coming(self, window, qtbot, long_one):
        """Another request in the queue once left only its beginning."""
        session = window.session
        window._dropped([str(long_one)])
        for k in range(3):
            session.engine.differ((str(long_one), ""), (f"x{k}", "G21\nM30\n"))
        qtbot.waitUntil(lambda: session.programs.shown is not None and session.programs.shown.is_whole, timeout=60_000)
        assert not session.programs.is_reading

    def test_giving_up_artwork_does_not_give_it_up(self, window, qtbot, long_one):
        session = window.session
        window._dropped([str(long_one)])
        session.engine.stop_reading()
        qtbot.waitUntil(lambda: session.programs.shown is not None and session.programs.shown.is_whole, timeout=60_000)


class TestBad:
    @pytest.mark.parametrize("content", [b"\x89PNG\0\0", None])
    def test_what_is_no_program_is_refused_and_what_is_shown_stays(self, window, qtbot, tmp_path, content):
        path = tmp_path / "x.nc"
        if content is not None:
            path.write_bytes(content)
        own = window.session.planning.plan
        with qtbot.waitSignal(window.session.programs.problem, timeout=30_000):
            window._dropped([str(path)])
        assert window.session.planning.plan is own
        assert "x.nc" in window.notices.text
        assert not window.session.programs.is_reading

    def test_one_that_comes_when_another_board_is_shown_is_dropped(self, window, qtbot, sign):
        session = window.session
        session.apply(edits.add_board(session.job)[0])
        settle(qtbot, window)
        shown = session.board_id
        window._dropped([str(sign)])
        session.show_board(next(board.id for board in session.job.boards if board.id != shown))
        qtbot.waitUntil(lambda: not session.programs.is_reading, timeout=30_000)
        assert session.planning.program is None
