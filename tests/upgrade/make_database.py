"""Make a database as the program left it then, for `test_databases.py`: `make_database.py NAME VERSION SRC`, where SRC
is the `src` folder of an earlier checkout, VERSION the one of its plans and NAME the file to write: `NAME.sql.gz`, and
beside it, what its plans came to, `NAME.figures.json`. The choices of `make.py` hold here, too.
"""

from __future__ import annotations

import gzip
import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

from steady_tally.serve.postgres import Cluster, find_binaries
from tests.upgrade.make import HERE, plans, write_files

# Run by the program of the time: the files become sources of a study, the plans versions of its plan, and each is
# worked out from the sources as they are stored.
THEN = """
import json, sys
from pathlib import Path
from steady_tally.core.errors import SteadyTallyError
from steady_tally.store.database import connect, migrate, database_address
from steady_tally.store.sources import FileFacts, load_sources, save_source
from steady_tally.store.studies import create_study, save_plan
from steady_tally.store.tables import Role
from steady_tally.formats.read import checksum, read_table, read_zones
try:
    from steady_tally.core.plan.whole import read_plan
except ModuleNotFoundError:
    from steady_tally.core.plan import read_plan
try:
    from steady_tally.core.chain import run
except ModuleNotFoundError:
    from steady_tally.core.run import run
try:
    from steady_tally.core.report.tables import areas_table
except ModuleNotFoundError:
    from steady_tally.formats.outcome import areas_table

engine = connect(database_address())
migrate(engine)
study = create_study(engine, "of then")
for name, role in (("events", Role.EVENTS), ("table", Role.TABLE), ("areas", Role.ZONES)):
    file = Path(f"{name}.geojson" if role == Role.ZONES else f"{name}.csv")
    content = read_zones(file, name) if role == Role.ZONES else read_table(file, name)
    save_source(engine, study, role, content, FileFacts(file.name, checksum(file), file.stat().st_size))
sources, _ = load_sources(engine, study)
wanted = ("identifier", "numerator", "denominator", "value", "state", "class")
made, parent = {}, None
for name, document in json.loads(Path("plans.json").read_text()).items():
    try:
        plan = read_plan(document)
        rows = areas_table(run(plan, sources)).to_pylist()
    except SteadyTallyError as error:
        print(f"{name}: {error}")
        continue
    parent = save_plan(engine, study, plan, parent=parent)
    made[str(parent)] = {"name": name, "areas": [{k: r[k] for k in wanted} for r in rows]}
try:
    from steady_tally.core.plan.figure import FigurePlan
    from steady_tally.store.figures import add_figure
except ModuleNotFoundError:
    pass
else:
    add_figure(engine, study, "a page", parent, FigurePlan().model_dump(mode="json"))
Path("figures.json").write_text(json.dumps({"study": str(study), "versions": made}, indent=1) + "\\n")
"""


def main(name: str, version: int, src: Path) -> None:
    with tempfile.TemporaryDirectory() as folder:
        at = Path(folder)
        write_files(at)
        (at / "plans.json").write_text(json.dumps(plans(version)))
        cluster = Cluster(at / "cluster", at / "log")
        (at / "cluster").mkdir(mode=0o700)
        cluster.start()
        try:
            address = cluster.make_database("then")
            env = {**os.environ, "PYTHONPATH": str(src), "NUMBA_CACHE_DIR": str(at / "cache")}
            env |= {"STEADY_TALLY_DATABASE": address, "STEADY_TALLY_DATA": str(at)}
            subprocess.run([sys.executable, "-c", THEN], cwd=at, env=env, check=True)
            program = find_binaries() / "pg_dump"
            dump = [str(program), "--no-owner", "--no-privileges", f"--dbname={address.split('?')[0]}"]
            text = subprocess.run(dump, capture_output=True, check=True).stdout
        finally:
            cluster.stop()
        (HERE / f"{name}.sql.gz").write_bytes(gzip.compress(text, mtime=0))
        (HERE / f"{name}.figures.json").write_bytes((at / "figures.json").read_bytes())


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]), Path(sys.argv[3]))
