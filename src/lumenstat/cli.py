"""The command line: `lumenstat serve`, `check`, `run`, `score`, `prove` and the rest, and those of a database."""

from __future__ import annotations

import csv
import gc
import json
from pathlib import Path
from typing import Annotated, Any

import typer

from lumenstat import ENGINE_VERSION, __version__, cli_database, cli_exchange, cli_fair, cli_people, cli_texts
from lumenstat.cli_database import UNUSABLE, Json, fail
from lumenstat.cli_documents import library_around, read_bundle
from lumenstat.documents.airframe import Airframe
from lumenstat.documents.bundles import Library
from lumenstat.documents.exercise import Exercise
from lumenstat.documents.loading import FORMATS
from lumenstat.documents.runlog import RunLog, parse_log
from lumenstat.errors import DocumentError, LogError, LumenstatError
from lumenstat.language.sources import Source
from lumenstat.language.values import nearest
from lumenstat.processes import load_beside
from lumenstat.simulation.actions import start_problems
from lumenstat.simulation.explaining import explained
from lumenstat.simulation.plan import plan_for

app = typer.Typer(
    add_completion=False, no_args_is_help=True, help="Cold-and-dark startup exercises. A training aid only."
)


def _setting(name: str, words: str, least: float | None = None, most: float | None = None) -> Any:
    """An option that can be given in the environment too."""
    variable = f"LUMENSTAT_{name.replace('-', '_').upper()}"
    return typer.Option(f"--{name}", envvar=variable, help=words, min=least, max=most)


def read_log(path: Path) -> RunLog:
    """The run log at the path."""
    try:
        return parse_log(path.read_text(encoding="utf-8"))
    except FileNotFoundError:
        raise LogError(f"{path}: no such file") from None
    except (OSError, UnicodeDecodeError) as error:
        raise LogError(f"{path}: cannot be read as UTF-8 text: {error}") from None


@app.command()
def check(files: list[Path], as_json: Json = False) -> None:
    """Validate documents: every problem with its line and what would be right."""
    found = []
    for path in files:
        library = library_around(path)
        problems = library.check(path.resolve())
        loaded = library.load(path.resolve())
        if isinstance(loaded.document, Exercise) and loaded.document.start.before and not problems:
            problems = start_problems(library.bundle(path.resolve()).airframe, loaded.document, loaded.source)
        found.append((path, problems))
    report = {
        "files": [
            {
                "file": str(path),
                "ok": not problems,
                "problems": [
                    {"line": p.line, "path": p.path, "says": p.says} | ({"rule": p.rule} if p.rule else {})
                    for p in problems
                ],
            }
            for path, problems in found
        ]
    }
    if as_json:
        typer.echo(json.dumps(report, ensure_ascii=False))
    else:
        for path, problems in found:
            typer.echo(f"{path}: {'good' if not problems else f'{len(problems)} to mend'}")
            for p in problems:
                typer.echo(f"  line {p.line}, {p.path or 'document'}: {p.says}")
    if any(problems for _, problems in found):
        raise typer.Exit(1)


@app.command()
def run(
    exercise: Path,
    log: Annotated[Path, typer.Option(help="The run log to fly.")],
    trace: Annotated[Path | None, typer.Option(help="Write every quantity to this CSV file.")] = None,
    every: Annotated[float, typer.Option(help="Seconds between rows of the trace.", min=0.01)] = 1.0,
    as_json: Json = False,
) -> None:
    """Simulate a log and tell how the aircraft stood at its end."""
    from lumenstat.simulation.flight import fly  # noqa: PLC0415 - only where flown
    from lumenstat.simulation.trace import Sampler  # noqa: PLC0415

    samplers: list[Sampler] = []

    def sampler(aircraft: Any) -> Sampler:
        samplers.append(Sampler(aircraft, max(1, round(every * 100))))
        return samplers[-1]

    try:
        bundle, events = read_bundle(exercise), read_log(log).events
        flight = fly(bundle, events, also=[sampler] if trace else [])
        if trace is not None:
            _write_trace(trace, samplers[0])
    except LumenstatError as error:
        fail(error)
    result = {
        "ended_at": flight.end / 100,
        "state": flight.aircraft.state(),
        "limits": [
            {
                "id": e.limit.id,
                "from": e.start / 100,
                "to": e.end / 100,
                "peak": e.peak,
                "severity": e.limit.severity,
            }
            for e in flight.exceedances
        ],
        "digest": bundle.digest,
    }
    if as_json:
        typer.echo(json.dumps(result, ensure_ascii=False))
        return
    typer.echo(f"Ended at {flight.end / 100:.2f} s; {len(flight.exceedances)} limits exceeded.")
    for name, value in flight.aircraft.state().items():
        typer.echo(f"  {name} = {value:.3f}" if isinstance(value, float) else f"  {name} = {value}")


def _write_trace(path: Path, sampler: Any) -> None:
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.DictWriter(file, list(sampler.aircraft.plan.quantities))
        writer.writeheader()
        writer.writerows(sampler.rows)


@app.command()
def score(exercise: Path, log: Path, as_json: Json = False) -> None:
    """Judge a log: the ledger of items, extras and limits."""
    from lumenstat.assessment.scoring import score as judge  # noqa: PLC0415

    try:
        bundle, flown = read_bundle(exercise), read_log(log)
        ledger = judge(bundle, flown).ledger
    except LumenstatError as error:
        fail(error)
    note = "The documents have changed since this log was flown." if flown.digest != bundle.digest else None
    if as_json:
        said = score_json(ledger.model_dump(mode="json"))
        typer.echo(json.dumps(said | ({"note": note} if note else {}), ensure_ascii=False))
        return
    if note:
        typer.echo(f"Note: {note}", err=True)
    typer.echo(f"{ledger.outcome_words}: {ledger.percent} % ({ledger.points.earned:g} of {ledger.points.possible:g})")
    if ledger.ending is not None:
        typer.echo(f"  {ledger.ending}")
    for gate in ledger.gates:
        typer.echo(f"  gate {gate.id}: {gate.says}")
    for row in ledger.items:
        if not row.reached:
            continue
        at = "" if row.at is None else f"{row.at:8.2f} s"
        typer.echo(f"  {row.verdict:<14} {row.item:<18} {at:>10}  {row.earned:g}/{row.possible:g}  {row.says}")
    if ledger.time is not None:
        typer.echo(f"  time: {ledger.time.used:.1f} s used, {ledger.time.needed:.1f} s needed")
        for lost in ledger.time.lost:
            typer.echo(f"    {lost.says}")
    for extra in ledger.extras:
        typer.echo(f"  extra, {extra.effect}: {extra.t:.2f} s  {extra.says}")
    for limit in ledger.limits:
        cost = f", -{limit.cost:g}" if limit.cost else ""
        typer.echo(f"  {limit.severity}{cost}: {limit.start:.2f} to {limit.end:.2f} s  {limit.says}")
    for aim in ledger.aims:
        typer.echo(f"  aim, {'met' if aim.met else 'missed'}: {aim.says}")


def score_json(ledger: dict[str, Any]) -> dict[str, Any]:
    """The ledger with the names that outside readers rely on."""
    limits = [{"from": row.pop("start"), "to": row.pop("end"), **row} for row in ledger["limits"]]
    return {**ledger, "limits": limits}


@app.command()
def prove(
    exercise: Path,
    leave_out: Annotated[bool, typer.Option("--leave-out", help="Leave each item out, swap each pair.")] = False,
    log: Annotated[Path | None, typer.Option(help="Write the perfect flight as a run log.")] = None,
    as_json: Json = False,
) -> None:
    """Fly the checklist perfectly in the model and say what is wrong with it."""
    from lumenstat.proving.leave_out import leave_out as every_consequence  # noqa: PLC0415 - only where proven
    from lumenstat.proving.order import order_findings  # noqa: PLC0415
    from lumenstat.proving.prove import prove as fly_proof  # noqa: PLC0415
    from lumenstat.proving.report import proof_json, proof_lines  # noqa: PLC0415
    from lumenstat.rehearsal.perfect import rehearse  # noqa: PLC0415

    try:
        bundle = read_bundle(exercise)
    # An order in a circle is a finding like any other; a text that cannot be read is not.
    except DocumentError as error:
        found = order_findings(error.problems)
        if not found:
            fail(error)
        report = {"ok": False, "ready_at": None, "critical_path": [], "items": [], "findings": found}
        typer.echo(json.dumps(report, ensure_ascii=False) if as_json else "\n".join(each["says"] for each in found))
        raise typer.Exit(1) from None
    except LumenstatError as error:
        fail(error)
    flight = rehearse(bundle)
    if log is not None:
        _write_log(log, RunLog(bundle.exercise.id, bundle.digest, ENGINE_VERSION, flight.events))
    proof = fly_proof(bundle, flight)
    consequences = every_consequence(bundle, flight) if leave_out else None
    if as_json:
        typer.echo(json.dumps(proof_json(proof, consequences), ensure_ascii=False))
    else:
        typer.echo("\n".join(proof_lines(proof, consequences)))
    if any(finding.severity != "notes" for finding in proof.findings):
        raise typer.Exit(1)


def _write_log(path: Path, log: RunLog) -> None:
    try:
        path.write_text(log.text(), encoding="utf-8")
    except OSError as error:
        fail(LumenstatError(f"{path}: cannot be written: {error.strerror}"))


@app.command()
def schema(name: Annotated[str, typer.Argument(help="airframe, checklist, exercise, socket or desk")]) -> None:
    """Print the JSON Schema (draft 2020-12) of a kind of document, or of the messages of a socket."""
    names = [*(key.split("/")[1] for key in FORMATS), "socket", "desk"]
    if name not in names:
        typer.echo(f"there is no schema {name!r}{nearest(name, names)}", err=True)
        raise typer.Exit(UNUSABLE)
    typer.echo(json.dumps(document_schema(name), indent=2, ensure_ascii=False))


def document_schema(name: str) -> dict[str, Any]:
    """The published schema of a kind of document, or of the socket."""
    if name == "socket":
        from lumenstat.web.live.messages import schema as of_socket  # noqa: PLC0415 - the web only where it is asked for

        return of_socket()
    if name == "desk":
        from lumenstat.web.live.desk import schema as of_desk  # noqa: PLC0415

        return of_desk()
    model = FORMATS[f"lumenstat/{name}/1"]
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        **model.model_json_schema(by_alias=True),
    }


AirframeName = Annotated[str, typer.Argument(help="A file, or the id of a shipped airframe.")]


def _airframe(name: str) -> tuple[Airframe, Source]:
    """The airframe of a file or of an id, with the lines it was read from."""
    path = Path(name)
    try:
        loaded = library_around(path).load(path.resolve()) if path.exists() else Library().find(Airframe, name)
        if loaded is None:
            raise LumenstatError(f"there is no airframe {name!r}{nearest(name, Library().ids(Airframe))}")
        document = loaded.usable()
    except LumenstatError as error:
        fail(error)
    if not isinstance(document, Airframe):
        fail(LumenstatError(f"{name} is not an airframe"))
    return document, loaded.source


@app.command()
def quantities(
    airframe: AirframeName,
    as_json: Json = False,
) -> None:
    """List everything observable on an airframe with unit and meaning."""
    document, _ = _airframe(airframe)
    rows = document.quantities.values()
    if as_json:
        listed = [{"name": q.name, "unit": q.unit, "kind": q.kind, "meaning": q.meaning} for q in rows]
        typer.echo(json.dumps({"quantities": listed}, ensure_ascii=False))
        return
    for q in rows:
        typer.echo(f"{q.name:<40} {q.unit or q.kind:<7} {q.meaning}")


app.command()(cli_fair.fair)
app.command()(cli_database.verify)
app.command("check-database")(cli_database.check_database)
app.command()(cli_database.backup)
app.command()(cli_database.restore)
app.command("record-store")(cli_exchange.record_store_stand_in)
app.command("export")(cli_exchange.export_run)
app.command("import")(cli_exchange.import_file)
app.command("archive")(cli_exchange.archive)
app.add_typer(cli_people.people, name="people")


@app.command()
def explain(
    airframe: AirframeName,
    code: Annotated[bool, typer.Option("--code", help="With every line of the generated code.")] = False,
) -> None:
    """Tell what an airframe is compiled to; with --code the code itself, and where each line is written."""
    document, source = _airframe(airframe)
    for line in explained(plan_for(document), source, code):
        typer.echo(line)


@app.command()
def serve(
    demo: Annotated[bool, typer.Option("--demo", help="Load the demo school and list its accounts.")] = False,
    quiet_demo: Annotated[
        bool, typer.Option("--quiet-demo", help="A demo without its past weeks and its class in the air.")
    ] = False,
    school: Annotated[str, _setting("school", "The school's name on what is printed.")] = "",
    host: Annotated[str, _setting("host", "The address to listen at.")] = "127.0.0.1",
    port: Annotated[int, _setting("port", "The port to listen at.")] = 8500,
    database: Annotated[Path, _setting("database", "The SQLite file.")] = cli_database.USUAL_DATABASE,
    workers: Annotated[int, _setting("workers", "Processes that fly live runs; 1: the server itself.", 1, 32)] = 1,
    tls: Annotated[
        bool, _setting("tls", "People reach it by https, through a proxy: cookies go no other way.")
    ] = False,
    grades: Annotated[str, _setting("grades", "The school's own scale, the best first, with commas between.")] = "",
    trusted_proxies: Annotated[str, _setting("trusted-proxies", "Their addresses, with commas between.")] = "",
    session_hours: Annotated[float, _setting("session-hours", "After so long a sign-in ends.", 0.1, 72)] = 12.0,
    idle_minutes: Annotated[float, _setting("idle-minutes", "After so long without use, too.", 1, 1440)] = 30.0,
    record_store: Annotated[str, _setting("record-store", "Where statements of signed records go, an address.")] = "",
    record_store_key: Annotated[str, _setting("record-store-key", "Its key, as name:secret.")] = "",
    home_address: Annotated[str, _setting("home-address", "The school's own address, in statements.")] = "",
    log_json: Annotated[bool, _setting("log-json", "Log requests too, each line a JSON object.")] = False,
) -> None:
    """Serve Lumenstat. Each option can be given as LUMENSTAT_ and its name in the environment."""
    # What is loaded all stays: looking through it again and again for what does not takes a sixth of the start.
    gc.disable()
    load_beside()
    from lumenstat.demo import DEMO_SCHOOL  # noqa: PLC0415
    from lumenstat.settings import Settings  # noqa: PLC0415
    from lumenstat.web.server import serve as serve_web  # noqa: PLC0415 - the web only where it is served

    settings = Settings(
        database=database,
        host=host,
        port=port,
        demo=demo,
        demo_life=demo and not quiet_demo,
        school=school or (DEMO_SCHOOL if demo else ""),
        session_hours=session_hours,
        idle_minutes=idle_minutes,
        tls=tls,
        trusted_proxies=_listed(trusted_proxies),
        grades=_listed(grades) or Settings.grades,
        workers=workers,
        log_json=log_json,
        record_store=cli_exchange.checked_record_store(record_store, record_store_key),
        record_store_key=record_store_key,
        home_address=home_address,
    )
    try:
        serve_web(settings)
    except LumenstatError as error:
        fail(error)


def _listed(text: str) -> tuple[str, ...]:
    return tuple(each.strip() for each in text.split(",") if each.strip())


@app.callback(invoke_without_command=True)
def version(
    show: Annotated[bool, typer.Option("--version", help="Print the version and stop.")] = False,
) -> None:
    """Cold-and-dark startup exercises, flown in a model and judged. A training aid only."""
    if show:
        typer.echo(f"lumenstat {__version__}")
        raise typer.Exit


app.command()(cli_texts.texts)


def main() -> None:
    """Entry point."""
    app()
