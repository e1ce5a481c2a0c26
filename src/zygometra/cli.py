"""The command line: a thin face on core and exchange."""

# long: one command after another
from __future__ import annotations

import argparse
import gc
import json
import os
import sys
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

from zygometra.core.digits import number_of
from zygometra.core.errors import BuildFaults, Fault, ZygometraError

if TYPE_CHECKING:
    from sqlalchemy import Engine

    from zygometra.core.budget import Budget
    from zygometra.core.build.model import Build
    from zygometra.core.faces.model import Survey
    from zygometra.store.backup import Done


# What a search with a time may take of memory, in MB.
_MOST_MEGABYTES = 2000


class Refused(Exception):
    """A command was not done: one sentence says why."""


def main(arguments: list[str] | None = None) -> int:
    """Run a command and return its exit status.

    Parameters
    ----------
    arguments : list of str, optional
        Words after the program's name; those of the process where left out.

    Returns
    -------
    int
        0 done; 2 the file (or the call) is not valid, one line a fault on standard error.
    """
    # A short command is all imports: the collector only slows them down.
    gc.disable()
    options = _parser().parse_args(arguments)
    try:
        if text := options.run(options):
            print(text)
    except BuildFaults as error:
        print(error, file=sys.stderr)
        return 2
    except ZygometraError as error:
        print(
            f"$: found a build that cannot be evaluated: {error}; wanted figures that can be", file=sys.stderr
        )
        return 2
    except Refused as refused:
        print(refused, file=sys.stderr)
        return 2
    except BrokenPipeError:
        sys.stderr.close()
    return 0


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="zygometra", description="Evaluate engine builds and surveyed faces from open files."
    )
    commands = parser.add_subparsers(required=True, metavar="command")
    _reading_commands(commands)
    schema = commands.add_parser("schema", help="print the JSON Schema of the build file")
    schema.set_defaults(run=_schema)
    explain = commands.add_parser("explain", help="print the working of one hole")
    explain.add_argument("file", help="a build file, or - for standard input")
    explain.add_argument("--cylinder", type=int, help="the hole (default: the first)")
    explain.add_argument("--now", action="store_true", help="as it stands, without what is planned")
    explain.add_argument("--inch", action="store_true", help="inches and thou first")
    explain.set_defaults(run=_explain)
    mix = commands.add_parser("mix", help="print the best combinations of a shelf for one block as JSON")
    mix.add_argument("question", help="a question file, or - for standard input")
    mix.add_argument("--shelf", required=True, metavar="FOLDER", help="the shelf as CSV tables")
    mix.add_argument("--rules", metavar="FILE", help="the shop's own rules of fit, as JSON")
    mix.set_defaults(run=_mix)
    demo = commands.add_parser("demo-shelf", help="write a made-up shelf as CSV tables")
    demo.add_argument("--parts", type=int, default=400, help="how many parts, 60 or more (default: 400)")
    demo.add_argument("--seed", type=int, default=7, help="of the draw (default: 7)")
    demo.add_argument("--to", default="shelf", metavar="FOLDER", help="where to write (default: shelf)")
    demo.set_defaults(run=_demo_shelf)
    _shop_commands(commands)
    return parser


def _reading_commands(commands: Any) -> None:
    """The commands that answer a document, or many, one a line."""
    evaluate = commands.add_parser("evaluate", help="print the evaluation of a build file as JSON")
    evaluate.add_argument("file", nargs="?", help="a build file, or - for standard input")
    evaluate.set_defaults(run=_answer, ask=_evaluation, read=_read_build)
    following = commands.add_parser("next", help="print what to measure next as JSON")
    following.set_defaults(run=_answer, ask=_next, read=_read_build)
    causes = commands.add_parser("causes", help="print what is probably wrong in a logbook as JSON")
    causes.set_defaults(run=_answer, ask=_causes, read=_read_build)
    for each in (following, causes):
        each.add_argument("file", nargs="?", help="a build file, or - for standard input")
    plan = commands.add_parser("plan", help="print what can be done to reach the targets of a build as JSON")
    plan.set_defaults(run=_plans_printed, read=_read_build)
    plan.add_argument("file", nargs="?", help="a build file, or - for standard input")
    plan.add_argument(
        "--seconds", type=_seconds, help="search no longer than this, and print the best found by then"
    )
    survey = commands.add_parser("survey", help="print what a surveyed face comes to as JSON")
    survey.add_argument("file", nargs="?", help="a survey file, or - for standard input")
    survey.set_defaults(run=_answer, ask=_surveyed, read=_read_survey)
    for each in (evaluate, following, causes, plan, survey):
        each.add_argument(
            "--lines", metavar="-", help="many documents, one a line, from this file or standard input"
        )


def _shop_commands(commands: Any) -> None:
    """The commands that work on the shop's database, not on files."""
    backup = commands.add_parser("backup", help="write everything the shop keeps into one file")
    backup.add_argument("file", type=Path, help="what to write; an older file of that name is replaced")
    backup.set_defaults(run=_backup)
    restore = commands.add_parser("restore", help="put a shop back as a backup holds it")
    restore.add_argument("file", type=Path, help="that a backup wrote")
    restore.add_argument("--aside", action="store_true", help="lay the shop that is there aside first")
    for each in (backup, restore):
        each.add_argument(
            "--key", type=Path, metavar="FILE", help="a secret that signs it, and tells tampering"
        )
    restore.set_defaults(run=_restore)


def _backup(options: argparse.Namespace) -> str:
    from zygometra.store.backup import backup

    with _owner() as owner:
        done = backup(owner, options.file, key=_key(options))
    return f"{options.file} holds {_held(done)}.{'' if done.signed else _UNSIGNED}"


def _restore(options: argparse.Namespace) -> str:
    from zygometra.store.backup import restore

    with _owner() as owner:
        done = restore(owner, options.file, aside=options.aside, key=_key(options))
    aside = f" What was there lies aside as {done.before}." if done.before else ""
    return f"The shop holds {_held(done)}, as {options.file} does.{aside}{'' if done.signed else _UNSIGNED}"


_UNSIGNED = " No key was given: the hash tells damage, not whether somebody changed it on purpose."


def _key(options: argparse.Namespace) -> bytes:
    """The secret that signs a backup; nothing where none was given."""
    if options.key is None:
        return b""
    try:
        secret: bytes = options.key.read_bytes()[:10_000]
        return secret
    except OSError as error:
        raise Refused(
            f"The key {options.key} cannot be read: {(error.strerror or 'an error').lower()}."
        ) from None


def _held(done: Done) -> str:
    rows = done.holds.rows
    return (
        f"{number_of(rows.get('build', 0), 'build')}, {number_of(rows.get('part', 0), 'part')} and"
        f" {number_of(rows.get('change', 0) + rows.get('part_change', 0), 'change')}; hash {done.holds.digest}"
    )


@contextmanager
def _owner() -> Iterator[Engine]:
    """The shop's database, as whoever owns it; whatever hinders is told in one sentence."""
    from sqlalchemy.exc import DBAPIError

    from zygometra.store.backup import NotDone
    from zygometra.store.database import NoDatabase, open_engine, owners_url

    try:
        owner = open_engine(owners_url())
        try:
            yield owner
        finally:
            owner.dispose()
    except (NotDone, NoDatabase) as refused:
        raise Refused(str(refused)) from None
    except DBAPIError as error:
        said = (str(error.orig).strip().splitlines() or [type(error).__name__])[0]
        raise Refused(f"The database does not do it: {said}") from None


def _text(name: str, most: int, wanted: str) -> bytes:
    """The bytes of a file or of standard input, one more than is allowed at the most."""
    if name == "-":
        return sys.stdin.buffer.read(most + 1)
    try:
        with Path(name).open("rb") as file:
            return file.read(most + 1)
    except OSError as error:
        reason = (error.strerror or "an error").lower()
        raise BuildFaults([Fault("$", f"{reason}: {name}", wanted)]) from None


def _mix(options: argparse.Namespace) -> str:
    from zygometra.core.errors import QuantityError
    from zygometra.core.mix.rules_data import rules_from_data
    from zygometra.core.mix.shelf import shelf_of
    from zygometra.core.mix.usual import USUAL
    from zygometra.exchange.build_file import MOST_BYTES, document_from_text
    from zygometra.exchange.mix_file import answer_document, read_question, to_json
    from zygometra.exchange.shelf_csv import read_folder

    question, counted = read_question(_text(options.question, MOST_BYTES, "a question file that can be read"))
    rules = USUAL
    if options.rules:
        data = document_from_text(_text(options.rules, MOST_BYTES, "a file of rules that can be read"))
        try:
            rules = rules_from_data(data)
        except QuantityError as error:
            raise BuildFaults([Fault(options.rules, error.found, error.wanted)]) from None
    parts = read_folder(Path(options.shelf))
    by_code = {(part.kind, part.code): part for part in parts}
    try:
        answer = answer_document(
            shelf_of(parts),
            rules,
            question=question,
            counted=counted,
            part=lambda kind, code: by_code[kind, code],
        )
    except QuantityError as error:
        raise BuildFaults([Fault("block", error.found, error.wanted)]) from None
    return to_json(answer)


def _demo_shelf(options: argparse.Namespace) -> str:
    from zygometra.core.mix.parts import KINDS
    from zygometra.demo.shelf import demo_shelf
    from zygometra.exchange.shelf_csv import file_name, write_table

    try:
        parts = demo_shelf(options.parts, options.seed)
    except ValueError as error:
        raise BuildFaults([Fault("--parts", str(error).split(";")[0], str(error).split("; ")[1])]) from None
    folder = Path(options.to)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for kind in KINDS:
            table = write_table((part for part in parts if part.kind == kind.key), kind.key)
            (folder / file_name(kind.key)).write_text(table, encoding="utf-8")
    except OSError as error:
        reason = (error.strerror or "an error").lower()
        raise BuildFaults([Fault("--to", f"{reason}: {folder}", "a folder that can be written")]) from None
    return f"{len(parts)} parts in {folder}"


def _build(name: str) -> Build:
    from zygometra.exchange.build_file import MOST_BYTES

    return _read_build(_text(name, MOST_BYTES, "a build file that can be read"))


def _read_build(text: bytes) -> Build:
    from zygometra.exchange.build_file import build_from_text

    return build_from_text(text)[1]


def _read_survey(text: bytes) -> Survey:
    from zygometra.exchange.survey_file import read_survey

    return read_survey(text)


def _answer(options: argparse.Namespace) -> str:
    """One document asked, or many, a line each, answered in their order as they come."""
    if options.lines is None:
        if options.file is None:
            _parser().error("no file; wanted a build file, - for standard input, or --lines")
        from zygometra.exchange.build_file import MOST_BYTES

        asked = options.read(_text(options.file, MOST_BYTES, "a file that can be read"))
        return json.dumps(options.ask(asked), ensure_ascii=False, indent=1)
    if options.file is not None:
        _parser().error("a file beside --lines; wanted one of the two")
    # Not a short command any more.
    gc.enable()
    with _lines(options.lines) as lines:
        for line in lines:
            if line.strip():
                print(json.dumps(_line(line, options), ensure_ascii=False), flush=True)
    return ""


@contextmanager
def _lines(name: str) -> Iterator[Iterable[bytes]]:
    if name == "-":
        yield sys.stdin.buffer
        return
    try:
        with Path(name).open("rb") as file:
            yield file
    except OSError as error:
        reason = (error.strerror or "an error").lower()
        raise BuildFaults([Fault("--lines", f"{reason}: {name}", "a file of one document a line")]) from None


def _line(line: bytes, options: argparse.Namespace) -> dict[str, Any]:
    """The answer to one document; of a bad one its faults."""
    try:
        answer: dict[str, Any] = options.ask(options.read(line))
        return answer
    except BuildFaults as error:
        return {
            "faults": [{"path": f.path, "found": str(f.found), "wanted": str(f.wanted)} for f in error.faults]
        }
    except ZygometraError as error:
        return {"faults": [{"path": "$", "found": str(error), "wanted": "figures that can be evaluated"}]}


def _evaluation(build: Build) -> dict[str, Any]:
    from zygometra.core.cutting.gates import all_standings
    from zygometra.core.cutting.release import releases
    from zygometra.core.findings.collect import findings
    from zygometra.core.house_rules import rules_for
    from zygometra.core.measuring.rooms import rooms
    from zygometra.core.stack.evaluate import evaluate
    from zygometra.exchange.evaluation_file import evaluation_document

    evaluation, rules = evaluate(build), rules_for(build.school)
    found = findings(build, evaluation, rules)
    # A moment by itself moves no gate: questions stand open whatever the day.
    gates = all_standings(build, evaluation)
    sheets = releases(build, evaluation, rules=rules, gates=gates, findings=found)
    over = rooms(build, evaluation.now), rooms(build, evaluation.planned)
    return evaluation_document(evaluation, found, gates=gates, sheets=sheets, over=over)


def _surveyed(face: Survey) -> dict[str, Any]:
    from zygometra.exchange.survey_file import surveyed_document

    return surveyed_document(face)


def _next(build: Build) -> dict[str, Any]:
    from zygometra.core.measuring.what_next import what_next
    from zygometra.exchange.advice_file import next_document

    return next_document(what_next(build))


def _plans_printed(options: argparse.Namespace) -> str:
    from functools import partial

    from zygometra.core.budget import Budget

    budget = None if options.seconds is None else Budget(options.seconds, _MOST_MEGABYTES)
    options.ask = partial(_plans, budget=budget)
    return _answer(options)


def _plans(build: Build, budget: Budget | None) -> dict[str, Any]:
    from zygometra.exchange.plan_file import plans_document

    with _quiet():
        return plans_document(build, budget)


def _seconds(typed: str) -> float:
    """A length of time as it is typed after ``--seconds``."""
    try:
        seconds = float(typed)
    except ValueError:
        seconds = 0.0
    if not 0.05 <= seconds <= 86_400:
        raise argparse.ArgumentTypeError(
            f"found '{typed[:40]}'; wanted seconds from 0.05 to 86400, such as 10"
        )
    return seconds


@contextmanager
def _quiet() -> Iterator[None]:
    """What a solver says of itself goes to standard error: on standard output stands the answer alone."""
    sys.stdout.flush()
    kept = os.dup(1)
    os.dup2(2, 1)
    try:
        yield
    finally:
        os.dup2(kept, 1)
        os.close(kept)


def _causes(build: Build) -> dict[str, Any]:
    from zygometra.core.measuring.causes import causes
    from zygometra.core.measuring.logbook import EMPTY
    from zygometra.exchange.advice_file import causes_document

    return causes_document(causes(build), build.logbook or EMPTY)


def _schema(_options: argparse.Namespace) -> str:
    from zygometra.exchange.json_schema import json_schema

    return json.dumps(json_schema(), indent=1, ensure_ascii=False)


def _explain(options: argparse.Namespace) -> str:
    from zygometra.core.stack.evaluate import evaluate
    from zygometra.core.stack.working import as_text, working
    from zygometra.core.wording import Reader

    build = _build(options.file)
    number = options.cylinder if options.cylinder is not None else build.cylinders[0]
    if number not in build.cylinders:
        raise BuildFaults(
            [Fault("--cylinder", str(number), "one of " + ", ".join(map(str, build.cylinders)))]
        )
    evaluation = evaluate(build)
    state = evaluation.now if options.now else evaluation.planned
    reader = Reader("inch" if options.inch else "mm")
    head = (
        f"{build.name}, hole {number}, {'as it stands' if options.now or not build.planned else 'as planned'}"
    )
    return f"{head}\n\n{as_text(working(build, state.hole(number), reader))}".rstrip()


if __name__ == "__main__":
    sys.exit(main())
