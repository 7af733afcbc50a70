"""Controllers: their files are read with a sentence for whatever is wrong, and programs keep their own rules.

The rules are taken from the standards' text (ISO 6983-1, RS-274), not from the writer: one word of a kind in a block, one motion code,
what may stand in a comment, numbers of blocks that rise.
"""

from __future__ import annotations

import re
import subprocess
import sys

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from archimetra.base.errors import OutputError
from archimetra.cli import main
from archimetra.engine.planning import plan_board
from archimetra.job.cut_parts import Entry, Side
from archimetra.job.cuts.profile import ProfileCut
from archimetra.job.quantities import Unit
from archimetra.output.comments import plain
from archimetra.output.controllers import Arcs, Controller, FileUnit, LineEnding, Spindle, controllers
from archimetra.output.controllers.profile import TEMPLATES, as_toml, check, parsed
from archimetra.output.controllers.shelf import copy_of, drop, keep, own, read, shipped
from archimetra.output.controllers.template import NAMES, check_template, filled
from archimetra.output.files import gcode_files
from archimetra.output.gcode_reader import read_gcode
from cutting_board import board_with
from plain_clock import plain_clock
from shapes import blob, replace, star

PLAIN = Controller(name="own", title="My own")


@pytest.fixture(scope="module")
def dial():
    job = plain_clock().job
    return job, job.boards[0], plan_board(job, job.boards[0], {})


def texts(dial, profile, *, unit=Unit.MM):
    job, board, plan = dial
    return [file.text for file in gcode_files(replace(job, output_unit=unit), board, plan.run, profile)]


# ---- the rules of programs


def broken_rules(text: str, profile: Controller) -> list[str]:
    """What of the standards a program breaks."""
    out, number, is_taped = [], 0, text.startswith("%")
    lines = text.split(profile.newline)
    if (
        lines[-1] != ""
        or "\r" in text.replace("\r\n", "")
        or ("\r\n" in text) != (profile.line_ending is LineEnding.CRLF)
    ):
        out.append("line endings")
    for k, line in enumerate(lines[:-1], 1):
        if line == "%":
            if not is_taped or k not in (1, len(lines) - 1):
                out.append(f"{k}: % within the program")
            continue
        if not line.isascii() or len(line) > 256:
            out.append(f"{k}: characters or length")
        if profile.longest_line and len(line) > profile.longest_line:
            out.append(f"{k}: longer than the control takes")
        bare = re.sub(r"\([^()]*\)", "", line)
        if "(" in bare or ")" in bare:
            out.append(f"{k}: brackets")
        if not bare.strip():
            continue
        words = re.findall(r"([A-Z])([+-]?\d*\.?\d+)", bare)
        if "".join(a + b for a, b in words) != bare.replace(" ", ""):
            out.append(f"{k}: {bare!r} is no row of words")
        letters = [letter for letter, _ in words]
        if any(letters.count(letter) > 1 for letter in set(letters) - {"G", "M"}):
            out.append(f"{k}: a word twice")
        codes = [float(value) for letter, value in words if letter == "G"]
        if sum(code in (0, 1, 2, 3, 80, 81, 82, 83) for code in codes) > 1:
            out.append(f"{k}: two motions in a block")
        if letters.count("M") > 1:
            out.append(f"{k}: two M codes in a block")
        if set(codes) & {2.0, 3.0} and not {"I", "J"} & set(letters):
            out.append(f"{k}: an arc without a centre")
        if profile.line_numbers:
            if letters[0] != "N":
                out.append(f"{k}: no number")
            else:
                now = int(words[0][1])
                if now <= number and now != profile.line_numbers:
                    out.append(f"{k}: numbers do not rise")
                number = now
        elif "N" in letters:
            out.append(f"{k}: a number")
        places = [value for letter, value in words if letter in "XYZIJ"]
        if any(len(value.partition(".")[2]) > max(profile.decimals_mm, profile.decimals_inch) for value in places):
            out.append(f"{k}: too many decimals")
    return out


own_profiles = st.builds(
    lambda **fields: check(Controller(name="own", title="My own", **fields)),
    unit=st.sampled_from(FileUnit), bit_changes_in_file=st.just(False), arcs=st.sampled_from(Arcs), decimals_mm=st.integers(2, 5),
    decimals_inch=st.integers(3, 6), has_drill_cycles=st.booleans(), spindle=st.sampled_from(Spindle), line_numbers=st.sampled_from([0, 1, 10, 1000]),
    line_ending=st.sampled_from(LineEnding), longest_line=st.sampled_from([0, 90, 120]), has_spaces=st.booleans(),
    comment=st.sampled_from(["", "({text})"]), comment_width=st.integers(40, 100), opening=st.sampled_from([(), ("%",)]),
    start=st.sampled_from([(), ("G17", "G90"), ("G90 G94",)]), dust_on=st.sampled_from([(), ("M8",)]), dust_off=st.sampled_from([(), ("M9",)]),
    end=st.sampled_from([("M2",), ("M30",)]),
)  # fmt: skip


class TestRules:
    @pytest.mark.parametrize("unit", list(Unit))
    @pytest.mark.parametrize("name", list(controllers()))
    def test_those_that_are_shipped_keep_them(self, dial, name, unit):
        for text in texts(dial, controllers()[name], unit=unit):
            assert broken_rules(text, controllers()[name]) == []

    @settings(max_examples=25, deadline=None)
    @given(own_profiles, st.integers(0, 60), st.sampled_from(list(Entry)[:2]), st.sampled_from(list(Unit)))
    def test_any_profile_keeps_them_and_comes_back_as_it_was_planned(self, profile, seed, entry, unit):
        job, board, _ = board_with(
            blob(seed, size=22.3),
            star(at=(60.0, 5.0)),
            kind=ProfileCut,
            end_depth=3.1,
            entry=entry,
            side=Side.OUTSIDE,
        )
        job = replace(job, output_unit=unit)
        if profile.opening:
            profile = replace(profile, end=(*profile.end, "%"))
        run = plan_board(job, board, {}).run
        (file,) = gcode_files(job, board, run, profile)
        assert broken_rules(file.text, profile) == []
        back = read_gcode(file.text)
        assert [f for f in back.findings] == []
        assert back.has_end
        is_mm = profile.unit_for(unit) is Unit.MM
        step = 10.0**-profile.decimals_mm if is_mm else 25.4 * 10.0**-profile.decimals_inch
        low = run.xyz[run.xyz[:, 2] < 0]
        theirs = back.xyz[np.isfinite(back.xyz).all(axis=1)]
        d = np.abs(low[:, None, :] - theirs[None, :, :]).max(axis=2).min(axis=1)
        assert d.max() <= step
        assert theirs[:, 2].min() == pytest.approx(low[:, 2].min(), abs=step)

    def test_arcs_become_lines_that_stay_within_their_tolerance(self, dial):
        for text in texts(dial, replace(PLAIN, arcs=Arcs.NONE)):
            assert not re.search(r"\bG[23]\b", text)

    def test_a_file_in_inches_says_so_whatever_the_job_says(self, dial):
        for unit in Unit:
            (text, *_) = texts(dial, replace(PLAIN, unit=FileUnit.INCH), unit=unit)
            assert re.search(r"^G20$", text, re.MULTILINE)
            assert ", inch)" in text

    def test_a_spindle_switched_by_hand_is_told_and_never_commanded(self, dial):
        for spindle in (Spindle.NONE, Spindle.ON):
            for text in texts(dial, replace(PLAIN, spindle=spindle)):
                assert not re.search(r"^S\d", text, re.MULTILINE)
                assert bool(re.search(r"^M[345]$", text, re.MULTILINE)) == (spindle is Spindle.ON)
                assert "by hand)" in text

    def test_a_line_longer_than_a_control_takes_is_a_sentence(self):
        job, board, _ = board_with(blob(2, size=22.345), kind=ProfileCut, end_depth=3.1, entry=Entry.RAMP)
        run = plan_board(job, board, {}).run
        tight = replace(PLAIN, longest_line=60, decimals_mm=6, line_numbers=1000)
        with pytest.raises(OutputError, match="takes lines of 60 letters"):
            gcode_files(job, board, run, tight)
        (file,) = gcode_files(job, board, run, replace(tight, decimals_mm=3))
        assert max(len(line) for line in file.text.splitlines()) <= 60


class TestChanges:
    def test_before_and_after_a_change_and_what_moves_in_them_is_not_trusted(self, dial):
        profile = replace(
            PLAIN, bit_changes_in_file=True, before_bit_change=("G53 G0 Z0", "M0"), bit_change=("T{number} M6",),
            after_bit_change=("G43 H{number}", "(put in {letter} {bit})"), dust_on=("M7",), dust_off=("M9",),
        )  # fmt: skip
        (text,) = texts(dial, profile)
        lines = text.splitlines()
        changes = [k for k, line in enumerate(lines) if re.fullmatch(r"T\d+ M6", line)]
        assert len(changes) == 3
        for k in changes[1:]:
            before = [line for line in lines[k - 8 : k] if not line.startswith("(")]
            assert before[-4:] == ["M9", "M5", "G53 G0 Z0", "M0"]
        for k in changes:
            after = [line for line in lines[k + 1 : k + 8] if not line.startswith("(")]
            assert after[0].startswith("G43 H")
            assert after[1].startswith("G0 Z"), "up, before it goes anywhere"
        assert lines.count("M7") == 3
        assert sum("put in" in line for line in lines) == 3

    def test_whichever_lines_move_the_bit_it_goes_up_before_it_goes_anywhere(self, dial):
        base = replace(PLAIN, bit_changes_in_file=True, bit_change=("T{number} M6",))
        for key in ("start", "before_bit_change", "bit_change", "after_bit_change", "dust_on"):
            (text,) = texts(
                dial,
                replace(base, **{key: ("T{number} M6", "G53 G0 X7 Z0") if key == "bit_change" else ("G53 G0 X7 Z0",)}),
            )
            lines = [line for line in text.splitlines() if not line.startswith("(")]
            moved = [k for k, line in enumerate(lines) if line == "G53 G0 X7 Z0"]
            assert moved, key
            for k in moved:
                after = next(line for line in lines[k + 1 :] if re.match(r"(G[0-3] ?)?[XYZ]", line))
                assert re.fullmatch(r"G0 Z[\d.]+", after), (key, after)

    def test_a_control_that_knows_its_bits_lengths_is_not_asked_to_zero_again(self, dial):
        base = replace(PLAIN, bit_changes_in_file=True, bit_change=("T{number} M6",))
        assert "Set Z zero again" in texts(dial, base)[0]
        assert "Set Z zero again" not in texts(dial, replace(base, has_bit_lengths=True))[0]

    def test_every_named_value_is_put_in_plain(self, dial):
        lines = tuple(f"({name} {{{name}}})" for name in NAMES if name != "text")
        text = texts(dial, replace(PLAIN, dust_on=lines))[0]
        assert "(job Quay tide clock)" in text
        assert re.search(r"\(speed \d+\)", text)
        assert "{" not in text


# ---- reading profiles


class TestReading:
    def test_what_is_written_is_read_again(self):
        for profile in shipped().values():
            assert parsed(as_toml(profile).encode(), "a.toml") == profile

    @settings(max_examples=60)
    @given(own_profiles)
    def test_any_profile_is(self, profile):
        assert parsed(as_toml(profile).encode(), "a.toml") == profile

    @pytest.mark.parametrize(
        ("data", "said"),
        [
            (b"", "lacks the key `name`"),
            (b"name = 'x'", "lacks the key `title`"),
            (b"\xff\xfe", "not UTF-8"),
            (b"name = [", "no TOML"),
            (b"name = 'x'\ntitle = 'X'\nspede = 3", "no key `spede`"),
            (b"name = 'x'\ntitle = 'X'\ndecimals_mm = 'three'", "decimals_mm"),
            (b"name = 'x'\ntitle = 'X'\ndecimals_mm = 0", "decimals_mm is 1 to 6"),
            (b"name = 'x'\ntitle = 'X'\narcs = 'radius'", "arcs"),
            (b"name = 'X y'\ntitle = 'X'", "small letters"),
            (b"name = 'x'\ntitle = ''", "title"),
            (b"name = 'x'\ntitle = 'X'\nextension = '.nc'", "extension"),
            (b"name = 'x'\ntitle = 'X'\nstart = ['G90', 'S{spede}']", "start, line 2: there is no value 'spede'"),
            (b"name = 'x'\ntitle = 'X'\nstart = ['S{speed']", "start, line 1"),
            (b"name = 'x'\ntitle = 'X'\nstart = ['{number.__class__}']", "no value 'number.__class__'"),
            (b"name = 'x'\ntitle = 'X'\nstart = ['{bit:.3f}']", "no number"),
            (b"name = 'x'\ntitle = 'X'\nstart = ['{number!r}']", "no value"),
            (b"name = 'x'\ntitle = 'X'\nstart = ['{}']", "no value ''"),
            (b"name = 'x'\ntitle = 'X'\nstart = ['60\xc2\xb0']", "plain letters"),
            (b"name = 'x'\ntitle = 'X'\nend = [\"a\\nb\"]", "plain letters"),
            (b"name = 'x'\ntitle = 'X'\ncomment = '( )'", "{text}"),
            (b"name = 'x'\ntitle = 'X'\ndwell = 'G4'", "{seconds}"),
            (b"name = 'x'\ntitle = 'X'\nbit_changes_in_file = true", "bit_change has to say how"),
            (b"name = 'x'\ntitle = 'X'\nstart = [" + b"'G90'," * 201 + b"]", "more than 200 lines"),
            (b"name = 'x'\ntitle = 'X'\n" + b"#" * 10_000_000, "larger than"),
            (b"x = " + b"[" * 20_000, "toml"),
        ],
    )
    def test_whatever_is_wrong_is_a_sentence_with_its_key_and_line(self, data, said):
        with pytest.raises(OutputError) as told:
            parsed(data, "mine.toml")
        assert said.lower() in str(told.value).lower()
        assert len(str(told.value)) < 400

    @given(st.text(max_size=60))
    def test_no_line_of_a_template_does_more_than_name_values(self, line):
        try:
            check_template(line, "x")
        except OutputError:
            return
        assert "{" not in filled(line, dict.fromkeys(NAMES, 1.0))

    def test_names_that_are_put_in_cannot_end_a_comment_or_begin_a_command(self):
        assert filled("({bit})", {"bit": "6 mm) M3 S9 (60°"}) == f"({plain('6 mm) M3 S9 (60°')})"
        assert filled("{speed:.2f} {number}", {"speed": 18000.0, "number": 3.0}) == "18000.00 3"


class TestOwn:
    def test_they_are_kept_in_a_folder_stand_in_for_shipped_ones_and_are_given_up(self, tmp_path):
        mine = copy_of(shipped()["rs274"], shipped())
        assert mine.name == "rs274-2"
        keep(mine, tmp_path)
        keep(replace(shipped()["streaming"], title="Line by line here", extension="gc"), tmp_path)
        found = controllers(tmp_path)
        assert found["rs274-2"] == mine
        assert found["streaming"].extension == "gc"
        drop("streaming", tmp_path)
        assert controllers(tmp_path)["streaming"] == shipped()["streaming"]
        assert copy_of(mine, found).name == "rs274-2-2"

    def test_files_that_cannot_be_read_are_told_and_the_others_serve(self, tmp_path):
        keep(PLAIN, tmp_path)
        (tmp_path / "bad.toml").write_text("name = ", encoding="utf-8")
        (tmp_path / "twin.toml").write_text(as_toml(PLAIN), encoding="utf-8")
        (tmp_path / "note.txt").write_text("no profile", encoding="utf-8")
        found, problems = own(tmp_path)
        assert list(found) == ["own"]
        assert len(problems) == 2
        assert any("bad.toml" in words for words in problems)
        assert any("already" in words for words in problems)

    def test_a_file_that_is_not_there_is_a_sentence(self, tmp_path):
        with pytest.raises(OutputError, match="could not be read"):
            read(tmp_path / "no.toml")

    def test_every_key_is_documented(self):
        from pathlib import Path as FilePath

        text = (FilePath(__file__).parents[2] / "docs" / "controllers.md").read_text(encoding="utf-8")
        for key in Controller.__struct_fields__:
            assert f"`{key}`" in text, key
        for name in NAMES:
            assert f"`{name}`" in text, name
        assert set(TEMPLATES) < set(Controller.__struct_fields__)


class TestCommand:
    def test_they_are_listed_checked_and_taken(self, tmp_path, capsys, monkeypatch):
        monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
        assert main(["controllers"]) == 0
        assert "rs274-inch" in capsys.readouterr().out
        path = tmp_path / "mine.toml"
        path.write_text(as_toml(PLAIN), encoding="utf-8")
        assert main(["controllers", "--check", str(path)]) == 0
        assert main(["controllers", "--add", str(path)]) == 0
        capsys.readouterr()
        done = subprocess.run(
            [sys.executable, "-m", "archimetra", "controllers"], capture_output=True, text=True, check=True
        )  # another process finds it
        assert "own" in done.stdout
        assert main(["controllers", "--show", "own"]) == 0
        assert 'title = "My own"' in capsys.readouterr().out
        path.write_text("name = 'x'\ntitle = 'X'\nend = ['{nope}']", encoding="utf-8")
        assert main(["controllers", "--check", str(path)]) != 0
        assert "end, line 1" in capsys.readouterr().err
