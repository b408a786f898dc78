"""The command line: arguments and wiring only. `--json` prints one document to stdout; messages go to stderr.

Exit status: 0 done, 1 a known problem (told on stderr), 2 wrong usage, 3 done, but rows of the notebook cannot be read
(told on stderr).
"""

from __future__ import annotations

import functools
import json
import math
import os
import sys
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import click

from . import __version__
from .core.errors import HovrikError, Problem
from .core.facts.condition import Conditions
from .core.facts.place import Source
from .core.facts.setup import describe
from .core.facts.terms import FLOOR_FIGURES, NOTHING, School
from .core.passes import frames as frame_figures
from .core.passes.inside import within_pass
from .core.questions.question import LOWEST_WATTS, Question, lowest_watts
from .store.files.read.columns import IMPORTABLE, UNITS
from .store.files.read.frame_log import ColumnMap, FrameUnit, Imported, convert, guess, guess_unit
from .store.files.read.table import Table, read_table

SPOILED = 3  # exit status where rows of a notebook cannot be read
MOST = 1e7  # of anything asked for: frames, points or seconds
_FILE = click.Path(path_type=Path, dir_okay=False)


def told(function: Callable[..., Any]) -> Callable[..., Any]:
    """Known problems become a message on stderr and exit status 1."""

    @functools.wraps(function)
    def wrapper(*args: Any, **kwargs: Any) -> Any:
        try:
            _refuse_broken_text(kwargs)
            done = function(*args, **kwargs)
            sys.stdout.flush()
            if done == SPOILED:
                sys.exit(SPOILED)
            return done
        except HovrikError as fault:
            click.echo(f"hovrik: {fault}", err=True)
            for problem in getattr(fault, "problems", ()):
                click.echo(f"  {problem}", err=True)
        except BrokenPipeError:  # whoever read this has seen enough
            _leave_stdout()
        except OSError as fault:
            where = fault.filename or "the output"
            click.echo(f"hovrik: {where} cannot be read or written ({fault.strerror or fault}).", err=True)
            _leave_stdout()
        sys.exit(1)

    return wrapper


def _leave_stdout() -> None:
    """Let what could not be written go, so that the end of the process does not try again."""
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def _refuse_broken_text(values: Mapping[str, Any]) -> None:
    """Raises HovrikError for a value that is no text in UTF-8; a path may be any bytes."""
    for name, value in values.items():
        for text in value if isinstance(value, tuple) else (value,):
            if isinstance(text, str) and any(0xD800 <= ord(sign) < 0xE000 for sign in text):
                shown = text.encode("utf-8", "backslashreplace").decode()
                raise HovrikError(f"--{name.replace('_', '-')} got {shown}, which is no text in UTF-8. Type it anew.")


class Finite(click.FloatRange):
    """A number within a range, never one that compares with nothing."""

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> float:
        found = super().convert(value, param, ctx)
        if not math.isfinite(found):
            self.fail(f"{value} is no number that anything can be compared with.", param, ctx)
        return float(found)


TARGET = Finite(0, MOST, min_open=True)


def print_json(body: Any) -> None:
    """One JSON document to stdout."""
    click.echo(json.dumps(body, indent=2, ensure_ascii=False, allow_nan=False))


@click.group()
@click.version_option(__version__, prog_name="hovrik")
def commands() -> None:
    """Hovrik: sweeps a machine's limits per title and answers in one sentence with its evidence."""


@commands.command("open")
@click.argument("file", type=click.Path(path_type=Path), required=False)
@told
def open_window(file: Path | None) -> None:
    """Open the window on a notebook, or on your own with FILE brought to it: a log, rig, title or profile."""
    from .app.start import run_window

    sys.exit(run_window(file))


@commands.command()
@click.argument("notebook", type=_FILE, required=False)
@told
def press(notebook: Path | None) -> None:
    """Say that it feels bad now, to the blind test in the window of NOTEBOOK (your own where none is named)."""
    from .app.knock import PRESS, knock
    from .store.places import default_path

    if not knock(notebook or default_path(), PRESS):
        raise HovrikError(f"No window of {notebook or default_path()} heard it. Start the blind test there first.")


# -- frames


@commands.command()
@click.argument("file", type=_FILE)
@click.option("--column", help="Heading (or number from 1) of the column with frame times.")
@click.option("--unit", type=click.Choice([u.value for u in FrameUnit]), help="What the column holds.")
@click.option("--target", type=TARGET, help="Frame rate for steady and missed shares.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
@told
def frames(file: Path, column: str | None, unit: str | None, target: float | None, as_json: bool) -> None:
    """Figures of the frame times in FILE."""
    imported = _read(file, column, unit, {})
    interval_ms = imported.trace.interval_ms()
    body = _frames_body(interval_ms[interval_ms > 0], target, imported.problems)
    if as_json:
        print_json(body)
        return
    _print_problems(imported.problems)
    for key, value in body.items():
        if key != "problems":
            click.echo(f"{key:24} {json.dumps(value)}")


def _frames_body(interval_ms: Any, target: float | None, problems: tuple[Problem, ...]) -> dict[str, Any]:
    found = frame_figures.figures(interval_ms, target)
    inside = within_pass(interval_ms)
    low = found.low_1pct.percentile
    return {
        "frames": found.frames, "seconds": found.seconds, "mean_fps": found.mean_fps, "min_fps": found.min_fps,
        "low_1pct_fps": found.low_1pct.as_dict(), "low_0_1pct_fps": found.low_0_1pct.as_dict(),
        "median_ms": found.median_ms, "p95_ms": found.p95_ms, "p99_ms": found.p99_ms,
        "stutters": found.stutters, "stutter_seconds": found.stutter_seconds,
        "steady_share": found.steady_share, "missed_share": found.missed_share,
        "intervals_95": {
            "mean_fps": inside.rate_interval(found.mean_fps) if inside else None,
            "low_1pct_fps_percentile": inside.low_interval(low) if inside else None,
        },
        "problems": [{"line": p.line, "kind": p.kind, "text": p.text} for p in problems],
    }  # fmt: skip


def _print_problems(problems: tuple[Problem, ...]) -> None:
    for problem in problems:
        click.echo(str(problem), err=True)


def _read(file: Path, column: str | None, unit: str | None, channels: dict[str, str]) -> Imported:
    table = read_table(file)
    return convert(table, _mapping(table, column, unit, channels))


def _column_index(table: Table, name: str) -> int:
    names = table.layout.columns
    if name in names:
        return names.index(name)
    if name.isdigit() and 1 <= int(name) <= len(names):
        return int(name) - 1
    raise HovrikError(f"There is no column {name!r}. The file has: {', '.join(names)}.")


def _mapping(table: Table, column: str | None, unit: str | None, channels: dict[str, str]) -> ColumnMap:
    if column is None:
        found = guess(table)
    else:
        index = _column_index(table, column)
        guessed = guess_unit(table, index)
        if unit is None and guessed is None:
            raise HovrikError(f"Column {column!r} does not look like frame times. Name its unit with --unit.")
        found = ColumnMap(index, FrameUnit(unit) if unit else guessed[0], {})  # type: ignore[index]
    given = {}
    for channel, text in channels.items():
        name, _, channel_unit = text.rpartition(":") if ":" in text else (text, "", "")
        given[channel] = (_column_index(table, name), channel_unit or _default_unit(channel))
    frame_unit = FrameUnit(unit) if unit else found.frame_unit
    return ColumnMap(found.frame_column, frame_unit, {**found.channels, **given}, found.mark_column)


def _default_unit(channel: str) -> str:
    from .core.passes.trace import CHANNELS

    if channel not in IMPORTABLE:
        raise HovrikError(f"{channel} is no known channel. Choose one of: {', '.join(IMPORTABLE)}.")
    return next(iter(UNITS[CHANNELS[channel][1]]))


# -- demo


def _pace(text: str) -> float:
    return float("inf") if text == "fast" else float(text)


@commands.command()
@click.option("--headless", is_flag=True, help="Run the demo sweep without a window.")
@click.option("--out", type=_FILE, help="Notebook to make (with --headless), or to open.")
@click.option("--whole", is_flag=True, help="With --headless: the other titles and rigs too, as the window has them.")
@click.option("--seed", type=click.IntRange(0), default=1, show_default=True)
@click.option("--pace", type=click.Choice(["fast", "10", "1"]), default="fast", help="Machine seconds a second.")
@told
def demo(headless: bool, out: Path | None, whole: bool, seed: int, pace: str) -> None:
    """Plan, run and store the demo sweep; without --headless open the window on it."""
    from .demo import scenario

    if headless:
        if out is None:
            raise click.UsageError("--headless needs --out FILE.hovrik")
        count = scenario.build(out, seed=seed, pace=_pace(pace), searched=whole, announce=_tell)
        click.echo(f"{count} passes in {out}", err=True)
        return
    from .app.start import run_window

    path = out or scenario.default_path()
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        scenario.build(path, seed=seed, searched=True)
    sys.exit(run_window(path))


def _tell(event: Any) -> None:
    from .bench.job import PassDone, Progress
    from .service.next_steps import words_of

    if isinstance(event, PassDone):
        click.echo(f"{event.position}/{event.total}  {describe(event.record.setup)}", err=True)
    elif isinstance(event, Progress) and event.offers:
        click.echo(f"{event.why} From here on: {words_of(event.offers)}.", err=True)


# -- a question put to a machine of one's own


def sweep_options(function: Callable[..., Any]) -> Callable[..., Any]:
    """Options that say what is asked of which machine."""
    from .core.facts.terms import Aim
    from .service.sweeps import FLOORS

    for option in reversed(
        [
            click.option("--machine", "where", required=True, metavar="FILE.py:NAME", help="A class or function."),
            click.option("--question", "kind", default=LOWEST_WATTS, show_default=True, metavar="KIND"),
            click.option("--over", default="", metavar="FACTOR", help="What is asked about: a knob, limit_w, slot."),
            click.option("--knob", "knobs", multiple=True, metavar="ID=LEVELS", help="on,off or 8,10,12 or 8..20:2."),
            click.option("--floor", "--target", type=TARGET, help="What has to be held."),
            click.option("--floor-figure", type=click.Choice(list(FLOORS)), default="low", show_default=True),
            click.option("--tolerance", type=Finite(0, 0.5), default=0.03, show_default=True),
            click.option("--low", type=click.Choice([s.value for s in School]), default="percentile"),
            click.option("--cap", type=Finite(1, 1000), help="Frame cap of every pass."),
            click.option("--limit-die-c", type=Finite(20, 130), help="The settled die may not be hotter."),
            click.option("--limit-noise-db", type=Finite(0, 120)),
            click.option("--limit-hours", type=Finite(0.05, 200), help="The battery has to last so long."),
            click.option("--front", is_flag=True, help="Of best: the trade-off of hours and frames, not one setup."),
            click.option("--count-generated", is_flag=True, help="Generated frames count for the floor."),
            click.option("--generated-from", type=Finite(1, 240), help="Least rendered rate to generate frames from."),
            click.option("--slots", default="", metavar="KEY,KEY", help="Of best: OS slots that are searched at once."),
            click.option("--room-c", type=Finite(-40, 60)),
            click.option("--aim", type=click.Choice([a.value for a in Aim]), default="hours", show_default=True),
            click.option(
                "--price", type=Finite(0, 1000), default=1.0, show_default=True, help="Fps a watt must bring."
            ),
            click.option("--repeats", type=click.IntRange(1, 50), default=3, show_default=True),
            click.option("--budget-passes", type=click.IntRange(1, 1000)),
            click.option("--budget-minutes", type=Finite(1, 100_000)),
            click.option("--seed", type=click.IntRange(0), default=1, show_default=True),
            click.option("--title", default="", help="Title key; the machine's first where none is named."),
            click.option("--scene", default="", help="Scene key."),
        ]
    ):
        function = option(function)
    return function


def _request(where: str, knobs: tuple[str, ...], low: str, aim: str, slots: str, **values: Any) -> tuple[Any, Any]:
    from .core.facts.terms import Aim
    from .service.sweeps import Request, load_machine

    keys = tuple(filter(None, (key.strip() for key in slots.split(","))))
    request = Request(knobs=_pairs(knobs, "--knob"), low=School(low), aim=Aim(aim), slots=keys, **values)
    return load_machine(where), request


@commands.command()
@sweep_options
@click.option("--notebook", type=_FILE, help="Notebook to keep the passes in; else they are kept nowhere.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
@told
def sweep(notebook: Path | None, as_json: bool, **values: Any) -> None:
    """Put a question to a machine of one's own: plan it, run it, answer it."""
    import tempfile

    from .service import sweeps
    from .store.notebook import Notebook

    machine, request = _request(**values)
    where = values["where"]
    try:
        with (
            tempfile.TemporaryDirectory(prefix="hovrik-") as folder,
            Notebook(notebook or Path(folder) / "sweep.hovrik") as opened,
        ):
            _tell_open_runs(opened, sweeps.address_of(machine, where))
            swept = sweeps.sweep(machine, request, opened, None if as_json else _tell, where)
            body = sweeps.as_dict(swept)
    finally:
        machine.close()
    if as_json:
        print_json(body)
        return
    answer = swept.evaluation.answer
    click.echo(answer.sentence)
    for text in (*answer.reasons, *(f"missing: {m}" for m in answer.missing)):
        click.echo(f"  {text}")
    click.echo(f"  {swept.passes} passes, {swept.minutes:.0f} min of machine time")


def _tell_open_runs(notebook: Any, address: Mapping[str, Any]) -> None:
    """Runs of the notebook that are open on other machines: they stay so, and are said."""
    from .service import run
    from .service.machines import is_same

    for entry in notebook.open_runs():
        if not is_same(entry.machine, address):
            click.echo(f"hovrik: a run is still open on another machine. {run.was_words(entry)}", err=True)


@commands.command("put-back")
@click.argument("notebook", type=_FILE)
@click.option("--machine", "where", metavar="FILE.py:NAME", help="A machine of one's own, which no notebook may open.")
@click.option("--is-back", is_flag=True, help="What was set by hand is back: believed, as only you can say it.")
@told
def put_back(notebook: Path, where: str | None, is_back: bool) -> None:
    """Put back what a sweep that was cut short left on its machine."""
    from .service import run, sweeps
    from .service.machines import is_same, open_machine

    own = sweeps.load_machine(where) if where else None
    address = sweeps.address_of(own, where or "") if own is not None else None

    def reach(wanted: Mapping[str, Any]) -> Any:
        return own if own is not None and is_same(wanted, address) else open_machine(wanted)

    left = 0
    with _open_notebook(notebook, read_only=False) as opened:
        entries = opened.open_runs()
        for entry in entries:
            back = run.put_back(opened, entry, is_done=lambda _words: is_back, reach=reach)
            left += not back.is_whole
            click.echo("The machine is back as it was." if back.is_whole else f"Not wholly back: {back.words}.")
    if not entries:
        click.echo("No run is open: nothing is to be put back.")
    if left:
        raise HovrikError("Not all of it is back. Set the rest by hand, then say so with --is-back.")


@commands.command()
@sweep_options
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
@told
def plan(as_json: bool, **values: Any) -> None:
    """What a sweep of a machine of one's own would run first, and what that takes; nothing is run."""
    from dataclasses import asdict

    from .service import sweeps

    machine, request = _request(**values)
    try:
        made, totals = sweeps.planned(machine, request)
    finally:
        machine.close()
    rows = [
        {"kind": step.kind, "seconds": step.seconds, "setup": step.setup.as_dict(), "place": dict(step.place),
         "purpose": step.purpose, "round": step.round, "pass": one.index}
        for one in made.passes for step in one.steps
    ]  # fmt: skip
    if as_json:
        price = made.price(totals.minutes)
        told = {"kind": made.question.kind, "steps": rows, "totals": asdict(totals), "is_all": made.is_all}
        print_json({**told, "minutes": [round(end, 1) for end in price]})
        return
    for one in made.passes:
        slot = f"  {one.slot}" if one.slot else ""
        click.echo(f"{one.index + 1:4}  {describe(one.setup)}{slot}  {one.seconds / 60:.1f} min  {one.purpose}")
    click.echo(f"{totals.passes} passes, {totals.minutes:.0f} min, {totals.wh:.1f} Wh, {totals.recharges} recharges")
    if not made.is_all:
        low, high = made.price(totals.minutes)
        click.echo(f"More passes follow by what these find: {low:.0f} to {high:.0f} min in all.")


# -- answer, passes


def _question(notebook: Any, **changes: Any) -> Question:
    from .core.kinds.table import question_from

    body = notebook.get_state("question")
    given = {k: v for k, v in changes.items() if v is not None}
    if body is None and not {"rig", "slot", "title", "scene"} <= set(given):
        raise HovrikError(
            "The notebook holds no question yet. Give --rig, --slot, --title and --scene, or open it in the window."
        )
    question = lowest_watts() if body is None else question_from(body)
    given = {k: Source(v) if k == "source" else School(v) if k == "school" else v for k, v in given.items()}
    asked = question.with_(**given)
    for kind in {"rig", "slot", "title", "scene"} & set(given):
        if notebook.newest_of(kind, asked.keys[kind]) is None:
            names = ", ".join(key.rpartition("/")[2] for key in notebook.newest(kind)) or "none"
            raise HovrikError(f"The notebook has no {kind} {given[kind]!r}. It has: {names}.")
    return asked


def question_options(function: Callable[..., Any]) -> Callable[..., Any]:
    """Options that change parts of the notebook's question."""
    for option in reversed(
        [
            click.option("--rig", help="Rig key."),
            click.option("--slot", help="OS slot key."),
            click.option("--title", help="Title key."),
            click.option("--scene", help="Scene key."),
            click.option("--source", type=click.Choice([s.value for s in Source])),
            click.option("--target", "--floor", "target_fps", type=TARGET),
            click.option(
                "--figure", type=click.Choice([*FLOOR_FIGURES, NOTHING]), help="What the target is a target of."
            ),
            click.option("--low", "school", type=click.Choice([s.value for s in School])),
        ]
    ):
        function = option(function)
    return function


def table_options(function: Callable[..., Any]) -> Callable[..., Any]:
    """`--json` and `--csv`, one of which may be chosen: told as `form`, "" without."""

    @click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
    @click.option("--csv", "as_csv", is_flag=True, help="Print CSV.")
    @functools.wraps(function)
    def wrapper(*args: Any, as_json: bool, as_csv: bool, **kwargs: Any) -> Any:
        if as_json and as_csv:
            raise click.UsageError("choose --json or --csv")
        return function(*args, form="json" if as_json else "csv" if as_csv else "", **kwargs)

    return wrapper


def _print_table(form: str, document: dict[str, Any], as_csv: str, lines: list[str]) -> None:
    """A table as it is asked for: one JSON document, CSV, or lines."""
    if form == "json":
        print_json(document)
    elif form == "csv":
        click.echo(as_csv, nl=False)
    else:
        for line in lines:
            click.echo(line)


def _open_notebook(path: Path, *, read_only: bool) -> Any:
    from .store.notebook import Notebook

    if read_only and not path.exists():
        raise HovrikError(f"{path} does not exist. Check the path.")
    opened = Notebook(path, read_only=read_only)
    if opened.former is not None:
        click.echo(f"hovrik: {path.name} was brought up to date; the former version is {opened.former.name}.", err=True)
    return opened


def _spoiled_status(spoiled: Any) -> int:
    """Tell what of a notebook cannot be read; the exit status."""
    from .service.spoiled import words_of

    said = words_of(spoiled)
    if said:
        click.echo(f"hovrik: {said}.", err=True)
    return SPOILED if said else 0


@commands.command()
@click.argument("notebook", type=_FILE)
@question_options
@click.option("--over", default="", metavar="FACTOR", help="Read along this: limit_w (else), a knob, slot, version ...")
@click.option("--section", "within", default="", help="Of this section of the scene only.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
@told
def answer(notebook: Path, over: str, within: str, as_json: bool, **changes: Any) -> int:
    """The answer that the passes in NOTEBOOK give to its question."""
    from .core.words import render
    from .service.gather import evaluate
    from .service.ledger import told as told_before
    from .service.rows import response_rows
    from .service.spoiled import rows_of

    with _open_notebook(notebook, read_only=True) as opened:
        evaluation = evaluate(opened, _question(opened, **changes), over=over, within=within)
        evaluation = evaluation if over else told_before(opened, evaluation)
    found, since = evaluation.answer, evaluation.since
    if as_json:
        body = {**found.as_dict(), "over": evaluation.factor.id, "section": within}
        body["since"] = render(since) if since is not None else None
        print_json({**body, "responses": response_rows(evaluation), "spoiled": rows_of(evaluation.spoiled)})
        return _spoiled_status(evaluation.spoiled)
    click.echo(found.sentence)
    said = [render(since)] if since is not None else []
    for text in (*said, *found.reasons, *(f"missing: {m}" for m in found.missing)):
        click.echo(f"  {text}")
    return _spoiled_status(evaluation.spoiled)


@commands.command()
@click.argument("notebook", type=_FILE)
@question_options
@click.option("--out", type=_FILE, required=True, help="Web page to write.")
@click.option("--force", is_flag=True, help="Replace a file that is no page of this program's.")
@told
def report(notebook: Path, out: Path, force: bool, **changes: Any) -> int:
    """Everything behind the answer of NOTEBOOK on one page that needs no other file."""
    import time

    from .disk.writing import write_web_page
    from .service.gather import evaluate
    from .service.report import report_of
    from .store.files.write.report import html

    with _open_notebook(notebook, read_only=True) as opened:
        evaluation = evaluate(opened, _question(opened, **changes))
        made = report_of(opened, evaluation, time.time_ns())
    write_web_page(out, html(made), force=force)
    click.echo(str(out))
    return _spoiled_status(evaluation.spoiled)


@commands.command()
@click.argument("notebook", type=_FILE)
@question_options
@click.option("--over", default="", metavar="FACTOR", help="Levels of this: limit_w (else), a knob, slot, version ...")
@click.option("--every-title", is_flag=True, help="Of every title and scene in every OS slot of the rig.")
@table_options
@told
def levels(notebook: Path, over: str, every_title: bool, form: str, **changes: Any) -> int:
    """Every level of what NOTEBOOK's question is about with its figures, and why passes of it do not count."""
    from .core import words
    from .service import levels as tables
    from .service.gather import evaluate
    from .service.spoiled import rows_of

    with _open_notebook(notebook, read_only=True) as opened:
        question = _question(opened, **changes)
        found = evaluate(opened, question, over=over)
        over_all = tables.library_of(opened, question, over) if every_title else None
    if over_all is not None:
        lines = [tables.library_headings(found), *map(tables.library_cells, over_all.rows)]
        says = [words.render(one) for one in over_all.says]
        document = {"levels": [row.as_dict() for row in over_all.rows], "says": says}
        as_csv = tables.csv_over(over_all.rows)
    else:
        rows, says = tables.level_rows(found), []
        lines = [tables.headings(found), *map(tables.cells, rows)]
        document, as_csv = {"levels": [row.as_dict() for row in rows], "says": []}, tables.csv_of(rows)
    _print_table(
        form, {**document, "spoiled": rows_of(found.spoiled)}, as_csv, ["  ".join(one) for one in lines] + says
    )
    return _spoiled_status(found.spoiled)


@commands.command()
@click.argument("notebook", type=_FILE)
@question_options
@click.option("--panel", default="", metavar="RIG|RATES", help="Caps of another panel: a rig's name, 60,90 or 48-120.")
@table_options
@told
def caps(notebook: Path, panel: str, form: str, **changes: Any) -> int:
    """Every set-up in NOTEBOOK with every cap that the panel shows evenly: which holds, watts, hours."""
    from .core import words
    from .service import library
    from .service.capping import cell_words, csv_of, table_dict, table_of
    from .service.gather import evaluate
    from .service.spoiled import rows_of

    with _open_notebook(notebook, read_only=True) as opened:
        question = _question(opened, **changes)
        found = evaluate(opened, question)
        table = table_of(found, panel, library.rigs(opened).values())
    sure = question.terms.sure
    lines = [words.render(table.says)]
    for row in table.rows:
        cells = [f"{cap.cap_fps:.4g}: {cell_words(cell, sure)}" for cap, cell in zip(table.caps, row.cells)]
        lines.append("  ".join((row.words, *cells)).replace("\n", " "))
    _print_table(form, {**table_dict(table), "spoiled": rows_of(found.spoiled)}, csv_of(table), lines)
    return _spoiled_status(found.spoiled)


@commands.command()
@click.argument("notebook", type=_FILE)
@question_options
@click.option("--section", "within", default="", help="Of this section of the scene only.")
@table_options
@told
def passes(notebook: Path, within: str, form: str, **changes: Any) -> int:
    """Every pass in NOTEBOOK that belongs to its question, with verdict and figures."""
    from .service.gather import evaluate
    from .service.rows import csv_of, pass_row
    from .service.spoiled import rows_of

    with _open_notebook(notebook, read_only=True) as opened:
        question = _question(opened, **changes)
        found = evaluate(opened, question, within=within)
    rows = [pass_row(view, question) for view in found.views if not view.deleted]
    lines = [f"{row['id'][:8]}  {row['verdict']:8} {row['words']}" for row in rows]
    _print_table(form, {"passes": rows, "spoiled": rows_of(found.spoiled)}, csv_of(rows), lines)
    return _spoiled_status(found.spoiled)


# -- import


def _pairs(texts: tuple[str, ...], option: str) -> dict[str, str]:
    found = {}
    for text in texts:
        key, equals, value = text.partition("=")
        if not equals or not key:
            raise click.UsageError(f"{option} takes NAME=VALUE, got {text!r}")
        found[key] = value
    return found


@commands.command("import-pass")
@click.argument("file", type=_FILE, required=False)
@click.option("--notebook", type=_FILE, required=True, help="Notebook to import into.")
@click.option("--set", "settings", multiple=True, metavar="KNOB=VALUE", help="Setup of the pass.")
@click.option("--condition", "conditions", multiple=True, metavar="NAME=VALUE", help="Conditions, such as room_c=22.")
@click.option("--column", help="Heading (or number from 1) of the column with frame times.")
@click.option("--unit", type=click.Choice([u.value for u in FrameUnit]))
@click.option("--map", "channels", multiple=True, metavar="CHANNEL=COLUMN[:UNIT]", help="Telemetry column.")
@click.option(
    "--summary", "summary", multiple=True, metavar="NAME=VALUE", help="Figures in place of FILE, with source=..."
)
@click.option("--telemetry", type=_FILE, help="Telemetry that another recorder wrote beside FILE.")
@click.option(
    "--begin", type=Finite(-MOST, MOST), metavar="SECONDS", help="It begins so long after the first frame; else found."
)
@question_options
@click.option("--json", "as_json", is_flag=True)
@told
def import_pass(
    file: Path | None, notebook: Path, settings: tuple[str, ...], conditions: tuple[str, ...], column: str | None,
    unit: str | None, channels: tuple[str, ...], summary: tuple[str, ...], telemetry: Path | None, begin: float | None,
    as_json: bool, **changes: Any,
) -> None:  # fmt: skip
    """Import frame times measured elsewhere from FILE, or summary figures, as a pass of the question.

    A log with marks gives a pass for each stretch they name.
    """
    from .service.imports import many as batch
    from .service.imports import one as imports

    if (file is None) == (not summary):
        raise click.UsageError("give FILE or --summary, one of the two")
    given = _pairs(settings, "--set")
    imports.setup_from(given)  # what can never be used is said before the notebook is opened
    with _open_notebook(notebook, read_only=False) as opened:
        question = _question(opened, **changes)
        setup = imports.setup_from(given, imports.knobs_on_offer(opened, question))
        stated = imports.conditions_from(question, _pairs(conditions, "--condition"))
        problems: tuple[Problem, ...] = ()
        if file is not None:
            imported = _read(file, column, unit, _pairs(channels, "--map"))
            problems = imported.problems
            if telemetry is not None:
                imported, stated = _beside(opened, imported, telemetry, begin, stated)
            kept = batch.store_whole(opened, question, imported, setup, stated, file.name)
        else:
            figures = {k: _number_or_text(v) for k, v in _pairs(summary, "--summary").items()}
            kept = [imports.import_summary(opened, question, figures, setup, stated)]
    ids = [record.id for record in kept]
    if as_json:
        told = [{"line": p.line, "kind": p.kind, "text": p.text} for p in problems]
        print_json({"id": ids[0], "ids": ids, "problems": told})
        return
    _print_problems(problems)
    click.echo("\n".join(ids))


def _beside(
    notebook: Any, imported: Imported, path: Path, begin_s: float | None, stated: Conditions
) -> tuple[Imported, Conditions]:
    from .core.passes.align import How
    from .service.imports import telemetry as service

    told = service.read(notebook, path)
    found = service.fit(imported, told, How.GIVEN if begin_s is not None else None, begin_s or 0.0)
    click.echo(service.words_of(found), err=True)
    return service.join(imported, told, found), {**stated, **service.conditions_of((found, path.name))}


def _number_or_text(text: str) -> float | str:
    try:
        return float(text)
    except ValueError:
        return text
