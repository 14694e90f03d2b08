"""The command line: `lumenstat serve | check | run | score | prove | verify | schema | quantities`."""

from __future__ import annotations

import csv
import json
from pathlib import Path
from typing import Annotated, Any, NoReturn

import typer

from lumenstat import __version__
from lumenstat.documents.airframe import Airframe
from lumenstat.documents.bundles import SHIPPED, Bundle, Library
from lumenstat.documents.loading import FORMATS
from lumenstat.documents.quantities import quantities_of
from lumenstat.documents.runlog import RunLog, parse_log
from lumenstat.documents.values import nearest
from lumenstat.errors import DocumentError, LogError, LumenstatError

app = typer.Typer(
    add_completion=False, no_args_is_help=True, help="Cold-and-dark startup exercises. A training aid only."
)

Json = Annotated[bool, typer.Option("--json", help="Print one JSON object and nothing else.")]
UNUSABLE = 2


def fail(error: LumenstatError) -> NoReturn:
    """Say what cannot be used and stop."""
    typer.echo(str(error), err=True)
    raise typer.Exit(UNUSABLE)


def library_around(path: Path) -> Library:
    """The shipped library, and before it the documents beside the file and in folders next to it."""
    here = path.resolve().parent
    return Library([here, *(here.parent / kind for kind in ("airframes", "checklists", "exercises"))])


def read_bundle(path: Path) -> Bundle:
    """The exercise at the path with all it refers to."""
    return library_around(path).bundle(path.resolve())


def read_log(path: Path) -> RunLog:
    """The run log at the path."""
    try:
        return parse_log(path.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError) as error:
        raise LogError(f"{path}: cannot be read as UTF-8 text: {error}") from None


@app.command()
def check(files: list[Path], as_json: Json = False) -> None:
    """Validate documents: every problem with its line and what would be right."""
    found = []
    for path in files:
        problems = library_around(path).check(path.resolve())
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
    if flown.digest != bundle.digest:
        typer.echo("Note: the documents have changed since this log was flown.", err=True)
    if as_json:
        typer.echo(json.dumps(score_json(ledger.model_dump(mode="json")), ensure_ascii=False))
        return
    typer.echo(f"{ledger.outcome}: {ledger.percent} % ({ledger.points.earned:g} of {ledger.points.possible:g})")
    for gate in ledger.gates:
        typer.echo(f"  held by {gate.id}: {gate.says}")
    for row in ledger.items:
        at = "" if row.at is None else f"{row.at:8.2f} s"
        typer.echo(f"  {row.verdict:<14} {row.item:<18} {at:>10}  {row.earned:g}/{row.possible:g}  {row.says}")
    if ledger.time is not None:
        typer.echo(f"  time: {ledger.time.used:.1f} s used, {ledger.time.needed:.1f} s needed")
        for lost in ledger.time.lost:
            typer.echo(f"    {lost.says}")
    for extra in ledger.extras:
        typer.echo(f"  extra, {extra.effect}: {extra.t:.2f} s  {extra.says}")


def score_json(ledger: dict[str, Any]) -> dict[str, Any]:
    """The ledger with the names that outside readers rely on."""
    limits = [{"from": row.pop("start"), "to": row.pop("end"), **row} for row in ledger["limits"]]
    return {**ledger, "limits": limits}


@app.command()
def prove(
    exercise: Path,
    leave_out: Annotated[bool, typer.Option("--leave-out", help="Leave each item out, swap each pair.")] = False,
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
    proof = fly_proof(bundle, flight)
    consequences = every_consequence(bundle, flight) if leave_out else None
    if as_json:
        typer.echo(json.dumps(proof_json(proof, consequences), ensure_ascii=False))
    else:
        typer.echo("\n".join(proof_lines(proof, consequences)))
    if any(finding.severity != "notes" for finding in proof.findings):
        raise typer.Exit(1)


@app.command()
def schema(name: Annotated[str, typer.Argument(help="airframe, checklist or exercise")]) -> None:
    """Print the JSON Schema (draft 2020-12) of a kind of document."""
    names = {key.split("/")[1]: key for key in FORMATS}
    if name not in names:
        typer.echo(f"there is no schema {name!r}{nearest(name, list(names))}", err=True)
        raise typer.Exit(UNUSABLE)
    typer.echo(json.dumps(document_schema(name), indent=2, ensure_ascii=False))


def document_schema(name: str) -> dict[str, Any]:
    """The published schema of a kind of document."""
    model = FORMATS[f"lumenstat/{name}/1"]
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        **model.model_json_schema(by_alias=True),
    }


@app.command()
def quantities(
    airframe: Annotated[str, typer.Argument(help="A file, or the id of a shipped airframe.")],
    as_json: Json = False,
) -> None:
    """List everything observable on an airframe with unit and meaning."""
    path = Path(airframe)
    try:
        loaded = library_around(path).load(path.resolve()) if path.exists() else Library().find(Airframe, airframe)
        if loaded is None:
            raise LumenstatError(f"there is no airframe {airframe!r}{nearest(airframe, Library().ids(Airframe))}")
        document = loaded.usable()
    except DocumentError as error:
        fail(error)
    except LumenstatError as error:
        fail(error)
    if not isinstance(document, Airframe):
        fail(LumenstatError(f"{airframe} is not an airframe"))
    rows = quantities_of(document).values()
    if as_json:
        listed = [{"name": q.name, "unit": q.unit, "kind": q.kind, "meaning": q.meaning} for q in rows]
        typer.echo(json.dumps({"quantities": listed}, ensure_ascii=False))
        return
    for q in rows:
        typer.echo(f"{q.name:<40} {q.unit or q.kind:<7} {q.meaning}")


@app.command()
def verify(
    run_id: Annotated[str, typer.Argument(metavar="RUN", help="The id of a signed run.")],
    database: Annotated[Path, typer.Option(help="The SQLite file.")] = Path("var/lumenstat.sqlite"),
    as_json: Json = False,
) -> None:
    """Check that a signed record is still what was signed: its log, ledger and overrides."""
    from lumenstat.records.database import Database  # noqa: PLC0415 - only where a database is opened
    from lumenstat.records.sealing import verify as check_record  # noqa: PLC0415

    if not database.exists():
        fail(LumenstatError(f"there is no database {database}; name it with --database"))
    opened = Database(database)
    try:
        found = opened.read(lambda session: check_record(session, run_id))
    except LumenstatError as error:
        fail(error)
    finally:
        opened.close()
    if as_json:
        report = {"run": run_id, "ok": found.ok, "signed_by": found.signed_by, "problems": list(found.says)}
        typer.echo(json.dumps(report, ensure_ascii=False))
    else:
        typer.echo(f"{run_id}: {f'unaltered since {found.signed_by} signed it' if found.ok else '; '.join(found.says)}")
    if not found.ok:
        raise typer.Exit(1)


@app.command()
def serve(
    demo: Annotated[bool, typer.Option("--demo", help="Load the demo school and list its accounts.")] = False,
    school: Annotated[str, typer.Option(help="The school's name on what is printed.")] = "",
    host: str = "127.0.0.1",
    port: int = 8500,
    database: Annotated[Path, typer.Option(help="The SQLite file.")] = Path("var/lumenstat.sqlite"),
) -> None:
    """Serve Lumenstat."""
    from lumenstat.demo import DEMO_SCHOOL  # noqa: PLC0415
    from lumenstat.settings import Settings  # noqa: PLC0415
    from lumenstat.web.server import serve as serve_web  # noqa: PLC0415 - the web only where it is served

    try:
        name = school or (DEMO_SCHOOL if demo else "")
        serve_web(Settings(database=database, host=host, port=port, demo=demo, school=name))
    except LumenstatError as error:
        fail(error)


@app.callback(invoke_without_command=True)
def version(
    show: Annotated[bool, typer.Option("--version", help="Print the version and stop.")] = False,
) -> None:
    """Cold-and-dark startup exercises, flown in a model and judged. A training aid only."""
    if show:
        typer.echo(f"lumenstat {__version__}")
        raise typer.Exit


def main() -> None:
    """Entry point."""
    app()


__all__ = ["SHIPPED", "app", "main"]
