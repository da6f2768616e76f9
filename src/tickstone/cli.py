"""The commands behind ./tick-stone."""

from __future__ import annotations

import argparse
import contextlib
import json
import os
import sys
from typing import Any, BinaryIO, TextIO

from tickstone.errors import TickStoneError

# Our matrices are small: a second thread of the linear algebra library would only wait, and wait busily.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")


def main(arguments: list[str] | None = None) -> int:
    """Run one command; returns the exit code: 0, 2 with a sentence on standard error, or the tests' own."""
    ask = argparse.ArgumentParser(
        prog="tick-stone", description="From raw sensor readings to constants a robot can trust."
    )
    commands = ask.add_subparsers(dest="command", required=True)
    for name, what in (("demo", "serve with demo data"), ("serve", "serve your own data")):
        command = commands.add_parser(name, help=what)
        command.add_argument(
            "--any-address", action="store_true", help="let boards beyond this machine's network be connected"
        )
        command.add_argument(
            "--listen",
            default="127.0.0.1",
            metavar="ADDRESS",
            help="address of this machine alone to serve on",
        )
        command.add_argument("--port", type=int, help="port to serve on")
        command.add_argument(
            "--lan", action="store_true", help="let other devices of the network in, over HTTPS and by a key"
        )
        command.add_argument("--lan-port", type=int, metavar="PORT", help="port for other devices")
    commands.add_parser("test", help="run every test and check; with arguments, pytest alone", add_help=False)
    calc = commands.add_parser("calc", help="one calculation")
    calc.add_argument("name", nargs="?", help="name of the calculation")
    calc.add_argument("fields", nargs="*", metavar="field=value")
    calc.add_argument("--list", action="store_true", help="all calculations with their schemas")
    calc.add_argument("--batch", action="store_true", help="read JSON lines from standard input")
    read = commands.add_parser("read", help="what files of readings contain, as JSON")
    read.add_argument("files", nargs="+", metavar="FILE", help="the files, or - for standard input")
    convert = commands.add_parser("convert", help="a CSV of raw readings in, raw and converted columns out")
    convert.add_argument("file", metavar="FILE", help="the file, or - for standard input")
    convert.add_argument("--rig", metavar="RIG.json", help="the rig that the readings come from")
    convert.add_argument(
        "--set", action="append", default=[], metavar="CONSTANT=VALUE", help="a constant to work with"
    )
    convert.add_argument(
        "--column",
        action="append",
        default=[],
        metavar="COLUMN=SENSOR.CHANNEL",
        help="what a column is, where its name does not tell (nothing after = leaves it alone)",
    )
    diagnose = commands.add_parser("diagnose", help="what is wrong with a file's readings, as JSON lines")
    diagnose.add_argument("file", metavar="FILE", help="the file, or - for standard input")
    diagnose.add_argument("--rig", metavar="RIG.json", help="the rig that the readings come from")
    template = commands.add_parser("template", help="rigs to begin with: all of them, or one as JSON")
    template.add_argument("name", nargs="?", metavar="T01…T21")
    for name, what in (
        ("check", "what is wrong with a rig's wiring"),
        ("assign", "a rig with its pins assigned"),
        ("program", "the program that streams a rig's raw readings"),
    ):
        command = commands.add_parser(name, help=what)
        command.add_argument("rig", metavar="RIG.json", help="the rig, or - for standard input")
        if name == "program":
            command.add_argument("--language", choices=("cpp", "python"), default="cpp")
    schema = commands.add_parser("schema", help="the JSON Schema of a document")
    schema.add_argument("document", choices=("rig", "world"))
    drive = commands.add_parser("drive", help="a behaviour of a rig run in a world, as JSON")
    drive.add_argument("run", metavar="RUN.json", help="what is run, or - for standard input")
    drive.add_argument("--trace", metavar="FILE.csv", help="write every loop there")
    commands.add_parser("worlds", help="the worlds there are, as JSON")
    commands.add_parser("behaviours", help="the behaviours there are, with their settings, as JSON")
    commands.add_parser("screenshots", help="renew docs/screenshots")
    commands.add_parser("api-types", help="renew the front end's types from the API")
    benchmark = commands.add_parser("benchmark", help="measure speed and memory")
    benchmark.add_argument("names", nargs="*", help="benchmarks to run (all of them when none is named)")
    said, rest = ask.parse_known_args(arguments)
    if rest and said.command != "test":
        ask.error(f"unknown: {' '.join(rest)}")
    said.pytest = rest
    try:
        return _run(said)
    except TickStoneError as error:
        field = f"{error.path}: " if error.path and error.path not in error.message else ""
        print(f"{field}{error.message}", file=sys.stderr)
        return 2
    except PermissionError as error:
        print(f"{error.filename} may not be read or written by this user.", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        return 0
    except BrokenPipeError:  # whoever reads has seen enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0


def _run(arguments: argparse.Namespace) -> int:
    """Only what a command needs is imported: ``calc`` must start in well under a second."""
    if arguments.command == "calc":
        return _calc(arguments)
    if arguments.command == "convert":
        return _convert(arguments)
    if arguments.command == "read":
        return _read(arguments.files)
    if arguments.command == "diagnose":
        return _diagnose(arguments)
    if arguments.command in ("template", "check", "assign", "program", "schema"):
        return _rig_command(arguments)
    if arguments.command == "drive":
        return _drive(arguments)
    if arguments.command in ("worlds", "behaviours"):
        return _listed(arguments.command)
    if arguments.command in ("demo", "serve"):
        from tickstone.launch.serve import serve

        return serve(
            demo=arguments.command == "demo",
            listen=arguments.listen,
            port=arguments.port,
            any_address=arguments.any_address,
            lan=arguments.lan,
            lan_port=arguments.lan_port,
        )
    from tickstone.launch import checks

    if arguments.command == "test":
        return checks.run_all(arguments.pytest)
    if arguments.command == "api-types":
        return checks.renew_api_types()
    if arguments.command == "benchmark":
        return checks.run_benchmarks(arguments.names)
    return checks.renew_screenshots()


def _calc(arguments: argparse.Namespace) -> int:
    from tickstone.calculations import listing, run

    if arguments.list:
        print(json.dumps(listing(), ensure_ascii=False))
        return 0
    if arguments.batch:
        encode = json.JSONEncoder(ensure_ascii=False, allow_nan=False).encode
        for line in sys.stdin:
            if line.strip():
                # whoever asks line by line has the answer at once
                print(encode(_one_of_batch(line)), flush=True)
        return 0
    if not arguments.name:
        print("Name a calculation; --list shows them all.", file=sys.stderr)
        return 2
    inputs = _fields(arguments.fields) if arguments.fields or sys.stdin.isatty() else _from_input()
    print(json.dumps(run(arguments.name, inputs), ensure_ascii=False, allow_nan=False, indent=2))
    return 0


def _convert(arguments: argparse.Namespace) -> int:
    from tickstone.errors import BadInput
    from tickstone.formats import columns, converted, rig_json
    from tickstone.formats.opening import open_table

    constants = {}
    for name, value in _fields(arguments.set).items():
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise BadInput(f"{name} must be a number, not {value}.", name)
        constants[name] = float(value)
    known = dict(part.partition("=")[::2] for part in arguments.column)
    with _opened_bytes(arguments.file) as file:
        table = open_table(file)
        if arguments.rig:
            with _opened(arguments.rig) as rig_file:
                candidates = columns.rig_candidates(rig_json.rig_from_json(rig_file.read()), constants)
        else:
            candidates = columns.bare_candidates(constants)
        converting = converted.Converting(table, columns.plan(table, candidates, known))
        for text in converted.csv_blocks(converting):
            sys.stdout.write(text)
    for bad, what in (
        (table.ragged, "with too few or too many cells, filled or cut"),
        (table.bad, "not understood"),
    ):
        if bad.count:
            where = ", ".join(str(line.line) for line in bad.first[:5]) + (" …" if bad.count > 5 else "")
            print(f"Lines {what}: {bad.count} ({where}).", file=sys.stderr)
    return 0


def _read(files: list[str]) -> int:
    from tickstone.formats.opening import open_readings
    from tickstone.formats.summary import summary

    failed = 0
    for name in files:
        try:
            with _opened_bytes(name) as file:
                results = summary(open_readings(file))
        except TickStoneError as error:
            print(f"{name}: {error.message}", file=sys.stderr)
            failed = 2
            continue
        said = {"file": name, **results} if len(files) > 1 else results
        print(json.dumps(said, ensure_ascii=False, allow_nan=False, indent=2))
    return failed


def _diagnose(arguments: argparse.Namespace) -> int:
    from tickstone.core.diagnosis.examine import examine
    from tickstone.formats import rig_json
    from tickstone.formats.examined import record_of
    from tickstone.formats.opening import open_readings
    from tickstone.formats.summary import doubt_and_choice

    rig = None
    if arguments.rig:
        with _opened(arguments.rig) as rig_file:
            rig = rig_json.rig_from_json(rig_file.read())
    with _opened_bytes(arguments.file) as file:
        source = open_readings(file)
        doubt = doubt_and_choice(source)
        record = record_of(source, rig)
    if doubt:
        print(doubt, file=sys.stderr)
    for finding in examine(record):
        if finding.accuses:
            print(
                json.dumps(
                    {
                        "kind": finding.kind,
                        "channel": finding.channel,
                        "start_s": finding.start_s,
                        "end_s": finding.end_s,
                        "confidence": finding.confidence,
                        "evidence": finding.evidence,
                        "causes": finding.causes,
                        "advice": finding.advice,
                        "also": finding.also,
                    },
                    ensure_ascii=False,
                    allow_nan=False,
                )
            )
    return 0


def _rig_command(arguments: argparse.Namespace) -> int:
    """What is done with a rig document and no database."""
    from tickstone.formats import rig_json

    if arguments.command == "schema":
        from tickstone.formats import world_json

        schema = {"rig": rig_json.rig_schema, "world": world_json.world_schema}[arguments.document]()
        print(json.dumps(schema, ensure_ascii=False, indent=2))
        return 0
    if arguments.command == "template":
        from tickstone.core.rigs import templates

        if arguments.name is None:
            listed = [
                {"id": template.id, "title": template.title} for template in templates.TEMPLATES.values()
            ]
            print(json.dumps(listed, ensure_ascii=False, indent=2))
        else:
            print(rig_json.rig_to_json(templates.template(arguments.name)))
        return 0
    with _opened(arguments.rig) as stream:
        rig = rig_json.rig_from_json(stream.read(), anew=arguments.command == "assign")
    if arguments.command == "check":
        from tickstone.core.wiring.checks import check

        for finding in check(rig).findings:
            print(
                json.dumps(
                    {
                        "kind": finding.kind,
                        "severity": finding.severity,
                        "sensor": finding.sensor,
                        "pin": finding.pin,
                        "sentence": finding.sentence,
                        "numbers": finding.numbers,
                        "fix": finding.fix.sentence if finding.fix else None,
                    },
                    ensure_ascii=False,
                    allow_nan=False,
                )
            )
        return 0
    if arguments.command == "program":
        from tickstone.firmware.writing import program

        sys.stdout.write(program(rig, arguments.language))
        return 0
    from tickstone.core.wiring.assign import assignment

    result = assignment(rig)
    if result.reason:
        print(result.reason, file=sys.stderr)
        return 1
    print(rig_json.rig_to_json(result.rig))
    return 0


def _drive(arguments: argparse.Namespace) -> int:
    """One run, worked out without a database."""
    from tickstone.core.drive.run import run
    from tickstone.errors import BadInput
    from tickstone.formats import run_json

    with _opened(arguments.run) as stream:
        result = run(run_json.request_from_json(stream.read()))
    if arguments.trace:
        try:
            with open(arguments.trace, "w", encoding="utf-8") as file:
                file.writelines(run_json.trace_csv(result))
        except OSError as error:
            reason = (error.strerror or "no such folder").lower()
            raise BadInput(f"{arguments.trace} cannot be written: {reason}.", "trace") from None
    print(json.dumps(run_json.run_to_plain(result), ensure_ascii=False, allow_nan=False, indent=2))
    return 0


def _listed(what: str) -> int:
    """All worlds, or all behaviours."""
    from tickstone.core.drive.worlds import WORLDS
    from tickstone.formats import run_json, world_json

    if what == "worlds":
        plain: Any = [json.loads(world_json.world_to_json(world)) for world in WORLDS.values()]
    else:
        plain = run_json.behaviours_to_plain()
    print(json.dumps(plain, ensure_ascii=False, indent=2))
    return 0


def _opened_bytes(name: str) -> contextlib.AbstractContextManager[BinaryIO]:
    from tickstone.errors import BadInput

    if name == "-":
        return contextlib.nullcontext(sys.stdin.buffer)
    try:
        return open(name, "rb")
    except OSError as error:
        raise BadInput(
            f"{name} cannot be read: {(error.strerror or 'no such file').lower()}.", "file"
        ) from None


def _opened(name: str) -> contextlib.AbstractContextManager[TextIO]:
    from tickstone.errors import BadInput

    if name == "-":
        return contextlib.nullcontext(sys.stdin)
    try:
        return open(name, encoding="utf-8-sig", errors="replace")
    except OSError as error:
        raise BadInput(
            f"{name} cannot be read: {(error.strerror or 'no such file').lower()}.", "file"
        ) from None


def _fields(fields: list[str]) -> dict[str, Any]:
    from tickstone.errors import BadInput

    inputs: dict[str, Any] = {}
    for field in fields:
        name, equals, text = field.partition("=")
        if not equals:
            raise BadInput(f"{field!r} is not field=value.", name)
        try:
            inputs[name] = json.loads(text)
        except (ValueError, RecursionError):
            inputs[name] = text
    return inputs


def _from_input() -> dict[str, Any]:
    from tickstone.errors import BadInput

    text = sys.stdin.read()
    if not text.strip():
        return {}
    try:
        inputs = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise BadInput(f"Standard input is not JSON: {error}.") from None
    if not isinstance(inputs, dict):
        raise BadInput("Standard input must hold one JSON object.")
    return inputs


def _one_of_batch(line: str) -> dict[str, Any]:
    from tickstone.calculations import run
    from tickstone.errors import BadInput

    name: Any = None
    try:
        request = json.loads(line)
        if not isinstance(request, dict):
            raise BadInput("A line must hold a JSON object.", "")
        name = request.get("calc")
        inputs = request.get("inputs", {})
        if not isinstance(inputs, dict):
            raise BadInput("inputs must be a JSON object.", "inputs")
        return {"calc": name, "result": run(str(name), inputs)}
    except (ValueError, RecursionError) as error:
        return {"calc": name, "error": {"field": "", "message": f"Not JSON: {error}."}}
    except TickStoneError as error:
        return {"calc": name, "error": {"field": error.path, "message": error.message}}


if __name__ == "__main__":
    sys.exit(main())
