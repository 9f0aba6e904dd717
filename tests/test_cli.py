"""The command line with everything that can be wrong: one sentence, a non-zero exit, nothing half-made."""

import json
import shlex
import zipfile
from pathlib import Path

import pyogrio
import pytest
import shapely
from click.testing import CliRunner

from steady_tally.cli import main

PLAN = {
    "gather": {"events": {"coordinates": {"kind": "columns", "x": "lon", "y": "lat"}}},
    "place": {"areas": {"kind": "zones", "identifier": "code"}},
    "measure": {"kind": "density"},
    "class": {"method": "natural_breaks", "count": 2},
}


def feature(code: str, rings: list, kind: str = "Polygon") -> dict:
    return {"type": "Feature", "properties": {"code": code}, "geometry": {"type": kind, "coordinates": rings}}


def square(x: float) -> list:
    return [[[x, 38.0], [x + 1, 38.0], [x + 1, 39.0], [x, 39.0], [x, 38.0]]]


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """A small study as somebody else's tools would write it."""
    (tmp_path / "plan.json").write_text(json.dumps(PLAN))
    (tmp_path / "calls.csv").write_text("id\tlon\tlat\tnote\na\t-39.5\t38.5\tx\nb\t-39.5\t38.25\t“y”\nc\t10\t10\t\n")
    zones = {"type": "FeatureCollection", "features": [feature("W", square(-40)), feature("E", square(-39))]}
    (tmp_path / "zones.geojson").write_text(json.dumps(zones))
    return tmp_path


def run(folder: Path, **other: object) -> tuple[int, str]:
    """Run the chain with some of its arguments changed; the exit code and the message."""
    chosen = {"plan": "plan.json", "events": "calls.csv", "areas": "zones.geojson", "out": "out", **other}
    arguments = ["run", str(folder / str(chosen.pop("plan")))]
    for name, value in chosen.items():
        arguments += [f"--{name}", str(folder / str(value))]
    done = CliRunner().invoke(main, arguments)
    assert done.exception is None or isinstance(done.exception, SystemExit), done.exception
    return done.exit_code, done.output


def left_over(folder: Path) -> set[str]:
    return {p.name for p in folder.iterdir()} - {"plan.json", "calls.csv", "zones.geojson"}


def test_files_from_elsewhere_go_all_the_way(folder):
    code, said = run(folder)
    assert code == 0, said
    assert {p.name for p in (folder / "out").iterdir()} == {
        "areas.geojson", "areas.csv", "events.csv", "set-aside.csv", "ledger.json",
    }  # fmt: skip
    assert left_over(folder) == {"out"}
    areas = {r["identifier"]: r for r in map(dict, _rows(folder / "out" / "areas.geojson"))}
    assert (areas["W"]["numerator"], areas["E"]["numerator"]) == (2, 0)
    assert areas["E"]["value"] == 0.0, "zero is a number"
    assert run(folder)[0] == 0, "a second run replaces the first"


def test_a_look_up_is_given_like_any_other_file(folder):
    plan = json.loads(json.dumps(PLAN))
    keys = [{"record": "street", "table": "road"}]
    plan["gather"]["events"]["look_up"] = {"source": "streets", "keys": keys, "x": "e", "y": "n"}
    (folder / "plan.json").write_text(json.dumps(plan))
    (folder / "calls.csv").write_text("id,lon,lat,street\na,-39.5,38.5,Quay\nb,,,QUAY\nc,,,Nowhere\n")
    (folder / "streets.csv").write_text("road,e,n\nQuay,-38.5,38.5\n")
    code, said = run(folder)
    assert (code, (folder / "out").exists()) == (1, False)
    assert "“streets”, which was not given" in said
    code, said = run(folder, **{"look-up": "streets.csv"})
    assert code == 0, said
    areas = {r["identifier"]: r for r in map(dict, _rows(folder / "out" / "areas.geojson"))}
    assert (areas["W"]["numerator"], areas["E"]["numerator"]) == (1, 1)


def _rows(file: Path) -> list[dict]:
    return [f["properties"] for f in json.loads(file.read_text(encoding="utf-8"))["features"]]


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"events": "none.csv"}, "no such file"),
        ({"areas": "none.gpkg"}, "no such file"),
        ({"plan": "none.json"}, "cannot be read"),
        ({"plan": "calls.csv"}, "this is not JSON"),
        ({"areas": "calls.csv"}, "are not read here"),
        ({"table": "none.xlsx"}, "no such file"),
        ({"out": "plan.json/out"}, "cannot be written"),
    ],
)
def test_a_file_that_is_not_there_or_not_right_is_one_sentence_and_nothing_is_written(folder, change, says):
    code, said = run(folder, **change)
    assert code == 1
    assert says in said
    assert said.startswith("steady-tally: ")
    assert len(said.strip().splitlines()) == 1
    assert left_over(folder) == set()


@pytest.mark.parametrize(
    ("path", "value", "says"),
    [
        (["class", "method"], "best", "“best” is none of"),
        (
            ["gather", "events", "coordinates", "x"],
            "longitude",
            "no column “longitude”. Choose one of its columns: “id”",
        ),
        (["place", "areas", "identifier"], "name", "no column “name”"),
        (["measure"], {"kind": "rate", "denominator": {"keys": [], "value": "n"}}, "denominator.keys"),
        (["gather", "events", "source"], "areas2", None),
    ],
)
def test_a_mistake_in_the_plan_is_named(folder, path, value, says):
    document = json.loads(json.dumps(PLAN))
    at = document
    for key in path[:-1]:
        at = at[key]
    at[path[-1]] = value
    (folder / "plan.json").write_text(json.dumps(document))
    code, said = run(folder)
    if says is None:
        assert code == 0, "a source may have any name"
        return
    assert (code, left_over(folder)) == (1, set())
    assert says in said


def test_zones_of_the_wrong_kind_or_with_bad_shapes_are_said(folder):
    lines = {"type": "FeatureCollection", "features": [feature("L", [[0, 0], [1, 1]], "LineString")]}
    (folder / "zones.geojson").write_text(json.dumps(lines))
    code, said = run(folder)
    assert code == 1
    assert "area “L” is a linestring, not a polygon" in said
    bow_tie = [[[-40, 38], [-39, 39], [-39, 38], [-40, 39], [-40, 38]]]
    mixed = {"type": "FeatureCollection", "features": [feature("B", bow_tie), feature("E", square(-39))]}
    (folder / "zones.geojson").write_text(json.dumps(mixed))
    code, said = run(folder)
    assert code == 0
    assert "note: Invalid shapes were repaired: “B”:" in said
    shapes = shapely.from_wkb(pyogrio.raw.read(str(folder / "out" / "areas.geojson"))[2])
    assert shapely.is_valid(shapes).all()


def test_a_demo_folder_that_cannot_be_written_is_said(tmp_path):
    (tmp_path / "file").write_text("")
    done = CliRunner().invoke(main, ["demo", "--out", str(tmp_path / "file" / "demo")])
    assert done.exit_code == 1
    assert "cannot be written" in done.output


@pytest.mark.parametrize(
    ("calls", "says"),
    [
        ("id\tlon\tlat\n", "the file of events has no rows"),
        ("id\tlon\tlat\na\t10\t10\n", "not one event is placed in an area"),
        ("id\tlon\tlat\na\t\t\n", "not one event is placed in an area"),
    ],
)
def test_an_empty_map_is_written_said_and_has_an_exit_code_of_its_own(folder, calls, says):
    (folder / "calls.csv").write_text(calls)
    code, said = run(folder)
    assert code == 3
    assert said.rstrip().endswith(f"{says}; the files written are of an empty map.")
    assert (folder / "out" / "areas.csv").exists()


def test_what_needs_a_decision_is_a_warning(folder):
    plan = json.loads(json.dumps(PLAN))
    corners = [[-40.5, 37.5], [-38.5, 37.5], [-38.5, 39.5], [-40.5, 39.5]]
    plan["gather"]["events"]["where"] = [{"kind": "inside", "outline": corners}]
    (folder / "plan.json").write_text(json.dumps(plan))
    code, said = run(folder)
    assert code == 0
    assert "warning: The filter “inside an outline” cuts areas, but they are still divided by all their ground." in said


def test_what_the_first_page_of_the_documents_says_to_type_works(tmp_path, monkeypatch):
    text = (Path(__file__).parent.parent / "README.md").read_text(encoding="utf-8").replace("\\\n", "")
    lines = [
        shlex.split(line)
        for line in text.splitlines()
        if line.startswith(("./steady-tally demo", "./steady-tally run demo"))
    ]
    monkeypatch.chdir(tmp_path)
    for _, *words in lines:
        done = CliRunner().invoke(main, [*words, *(["--events", "600"] if words[0] == "demo" else [])])
        assert done.exit_code == 0, done.output
    assert [words[1] for words in lines] == ["demo", "run"]
    assert {p.name for p in (tmp_path / "result").iterdir()} == {
        "areas.csv", "areas.geojson", "events.csv", "set-aside.csv", "ledger.json",
    }  # fmt: skip


@pytest.mark.parametrize(("name", "begins"), [("map.pdf", b"%PDF-"), ("map.svg", b"<?xml"), ("map.PNG", b"\x89PNG")])
def test_the_map_is_drawn_on_a_page_and_again_to_the_byte(folder, name, begins):
    code, said = run(folder, figure=name)
    assert code == 0, said
    first = (folder / name).read_bytes()
    assert first.startswith(begins)
    assert run(folder, figure=name)[0] == 0
    assert (folder / name).read_bytes() == first
    assert left_over(folder) == {"out", name}


@pytest.mark.parametrize(("figure", "says"), [("map.gif", "none of .pdf, .svg, .png"), ("no/map.pdf", "cannot be written")])  # fmt: skip  # noqa: E501
def test_a_page_that_cannot_be_written_is_said_and_nothing_half_written_is_left(folder, figure, says):
    code, said = run(folder, figure=figure)
    assert code == 1
    assert says in said
    assert left_over(folder) <= {"out"}


def command(folder: Path, *arguments: str) -> tuple[int, str, str]:
    """The exit code, what is said, and what is said beside it."""
    files = ["--events", str(folder / "calls.csv"), "--areas", str(folder / "zones.geojson")]
    done = CliRunner().invoke(main, [*arguments[:1], str(folder / "plan.json"), *files, *arguments[1:]])
    assert done.exception is None or isinstance(done.exception, SystemExit), done.exception
    return done.exit_code, done.stdout, done.stderr


def test_a_nightly_job_is_told_as_json_and_gets_other_formats(folder):
    out = str(folder / "out")
    code, said, _ = command(folder, "run", "--out", out, "--json", "--format", "gpkg", "--format", "xlsx")
    assert code == 0
    told = json.loads(said)
    assert set(told["files"]) == {p.name for p in (folder / "out").iterdir()}
    assert {"areas.gpkg", "areas.xlsx", "areas.sld", "columns.csv"} <= set(told["files"])
    assert told["stages"] == json.loads((folder / "out" / "ledger.json").read_text())["stages"]
    meta, _, geometry, fields = pyogrio.raw.read(folder / "out" / "areas.gpkg")
    by_name = dict(zip(meta["fields"].tolist(), fields, strict=True))
    assert dict(zip(by_name["identifier"], by_name["numerator"], strict=True)) == {"W": 2, "E": 0}
    assert all(shapely.from_wkb(g).is_valid for g in geometry)
    assert command(folder, "run", "--out", out, "--format", "exe")[0] == 2
    assert command(folder, "run", "--out", out, "--format", "shp", "--figure", str(folder / "map.svg"))[0] == 0
    assert "clss_nmbr" in (folder / "out" / "areas-shapefile.sld").read_text()
    assert "clss_nmbr" in pyogrio.raw.read(folder / "out" / "areas.shp")[0]["fields"]


def test_strict_runs_end_with_a_code_of_their_own_where_a_decision_is_open(folder):
    out = str(folder / "out")
    assert command(folder, "run", "--out", out, "--strict")[0] == 0
    plan = json.loads(json.dumps(PLAN))
    corners = [[-40.5, 37.5], [-38.5, 37.5], [-38.5, 39.5], [-40.5, 39.5]]
    plan["gather"]["events"]["where"] = [{"kind": "inside", "outline": corners}]
    (folder / "plan.json").write_text(json.dumps(plan))
    assert command(folder, "run", "--out", out)[0] == 0
    assert command(folder, "run", "--out", out, "--strict")[0] == 4


def test_a_figure_is_drawn_as_its_page_says_and_a_series_as_many(folder):
    page = folder / "page.json"
    page.write_text(json.dumps({"page": {"size": "A5"}, "title": {"text": "Mine"}}))
    to = folder / "map.svg"
    assert command(folder, "figure", "--page", str(page), "--to", str(to))[0] == 0
    assert ">Mine<" in to.read_text(encoding="utf-8")
    page.write_text(json.dumps({"series": {"over": "areas"}}))
    to = folder / "all.pdf"
    assert command(folder, "figure", "--page", str(page), "--to", str(to))[0] == 0
    assert to.read_bytes().count(b"/Type /Page ") == 2
    packed = folder / "all.zip"
    assert command(folder, "figure", "--page", str(page), "--to", str(packed), "--pages-as", "svg")[0] == 0
    with zipfile.ZipFile(packed) as files:
        assert files.namelist() == ["001-w.svg", "002-e.svg"]
    for text, says in (
        ("{", "this is not JSON"),
        ('{"series": {"over": "moons"}}', "series.over"),
        ('{"series": {"over": "words", "column": "nowhere"}}', "nowhere"),
    ):
        page.write_text(text)
        code, _, wrong = command(folder, "figure", "--page", str(page), "--to", str(to))
        assert code == 1
        assert says in wrong
    page.write_text('{"series": {"over": "areas"}}')
    assert command(folder, "figure", "--page", str(page), "--to", str(folder / "all.svg"))[0] == 1


def test_what_a_spreadsheet_would_run_is_text_in_every_file_and_the_ledger_says_so(folder):
    (folder / "calls.csv").write_text('id,lon,lat,note\na,-39.5,38.5,"=HYPERLINK(1)"\nb,10,10,@x\nc,-39.5,38.25,-3\n')
    assert command(folder, "run", "--out", str(folder / "out"))[0] == 0
    assert "'=HYPERLINK(1)" in (folder / "out" / "events.csv").read_text()
    assert '"-39.5"' in (folder / "out" / "events.csv").read_text()
    assert "'@x" in (folder / "out" / "set-aside.csv").read_text()
    assert json.loads((folder / "out" / "ledger.json").read_text())["defused"] == {"events.csv": 1, "set-aside.csv": 1}


def test_a_plan_is_checked_and_says_what_it_needs(folder):
    done = CliRunner().invoke(main, ["plan", "check", str(folder / "plan.json"), "--json"])
    assert done.exit_code == 0
    needs = json.loads(done.stdout)["needs"]
    assert needs["events"] == {"role": "events", "columns": ["lon", "lat"]}
    assert needs["areas"]["role"] == "zones"
    plain = CliRunner().invoke(main, ["plan", "check", str(folder / "plan.json")]).stdout
    assert "needs “events” (events) with “lon”, “lat”" in plain
    (folder / "plan.json").write_text("{")
    assert CliRunner().invoke(main, ["plan", "check", str(folder / "plan.json")]).exit_code == 1


@pytest.mark.parametrize("shell", ["bash", "zsh", "fish"])
def test_shells_are_told_how_to_complete(shell):
    done = CliRunner().invoke(main, ["completion", shell])
    assert done.exit_code == 0
    assert "_STEADY_TALLY_COMPLETE" in done.stdout
    asked = {"COMP_WORDS": "steady-tally ru", "COMP_CWORD": "1", "_STEADY_TALLY_COMPLETE": "bash_complete"}
    answer = CliRunner().invoke(main, [], env=asked, prog_name="steady-tally")
    assert "run" in answer.stdout


def draft(*arguments: object) -> tuple[int, str]:
    done = CliRunner().invoke(main, [str(a) for a in arguments])
    assert done.exception is None or isinstance(done.exception, SystemExit), done.exception
    return done.exit_code, done.output


def people(folder: Path) -> Path:
    (folder / "people.csv").write_text("code,residents\nW,1000\nE,3000\n")
    return folder / "people.csv"


def test_files_alone_are_drafted_into_a_plan_and_what_was_decided_is_said(folder):
    files = folder / "calls.csv", folder / "zones.geojson", people(folder)
    code, said = draft("draft", *files, "--out", folder / "first.json")
    assert code == 0, said
    assert "zones.geojson: zones, 2 areas to count in" in said
    assert "divided by the residents of “people”" in said
    assert "rather: calls per" in said
    assert json.loads((folder / "first.json").read_text())["place"]["areas"]["source"] == "zones"
    # The plan runs again on the same files, as any does.
    arguments = ["run", folder / "first.json", "--events", files[0], "--areas", files[1], "--table", files[2]]
    code, said = draft(*arguments, "--out", folder / "again")
    assert code == 0, said

    code, said = draft("draft", *files, "--json")
    told = json.loads(said)
    assert [f["role"] for f in told["files"]] == ["events", "zones", "table"]
    assert told["plan"]["show"]["mapped"] not in [o["says"] for o in told["others"]]
    assert all(o["plan"]["format"] == "steady-tally-plan" for o in told["others"])


def test_files_alone_are_run_with_the_plan_beside_the_results(folder):
    files = folder / "calls.csv", folder / "zones.geojson", people(folder)
    code, said = draft("run", "--out", folder / "out", *files)
    assert code == 0, said
    assert "divided by the residents of “people”" in said
    assert (folder / "out" / "plan.json").exists()
    ledger = json.loads((folder / "out" / "ledger.json").read_text())
    assert ledger["stages"][0]["records_in"] == 3
    code, said = draft("run", "--json", "--out", folder / "more", *files)
    assert json.loads(said)["drafted"]["says"]
    # Areas and a table alone are a map, too.
    code, said = draft("run", "--out", folder / "areas", *files[1:])
    assert "“residents” is shown in the areas of “zones”" in said


@pytest.mark.parametrize(
    ("names", "more", "code", "says"),
    [
        (
            ["people.csv"],
            [],
            1,
            "none of these has events or areas: “people.csv” is taken for table, 2 rows of figures",
        ),
        (["metres.csv"], [], 1, "Say it: --crs metres.csv=CODE."),
        (["metres.csv"], ["--crs", "metres.csv=EPSG:32624"], 0, "counted in hexagons"),
        (["metres.csv"], ["--crs", "metres.csv"], 1, "“metres.csv” is not FILE=CODE."),
        (["named.csv"], [], 1, "its records have no coordinates, and no areas came with it that they name"),
        (["nowhere.csv"], [], 1, "there is no such file"),
    ],
)
def test_what_cannot_be_drafted_is_one_sentence(folder, names, more, code, says):
    people(folder)
    (folder / "metres.csv").write_text(
        "id,easting,northing\n" + "".join(f"{i},{5e5 + 99 * i},{42e5}\n" for i in range(50))
    )
    (folder / "named.csv").write_text("date,ward\n2024-05-01,W\n2024-05-02,E\n2024-06-02,E\n")
    found, said = draft("draft", *(folder / name for name in names), *more)
    assert (found, says in said) == (code, True), said


def test_run_says_what_it_lacks(folder):
    code, said = draft("run", folder / "plan.json", "--out", folder / "out", "--events", folder / "calls.csv")
    assert (code, "a plan needs --areas FILE" in said) == (2, True)
    code, said = draft(
        "run", folder / "plan.json", folder / "calls.csv", "--areas", folder / "zones.geojson", "--out", "x"
    )
    assert (code, "name the files by options" in said) == (2, True)
