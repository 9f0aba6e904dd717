"""The data folder: only what is ours is taken and touched, whatever is named."""

import os
import stat

import pytest
from click.testing import CliRunner

from steady_tally.cli import main
from steady_tally.core.errors import SetUpError
from steady_tally.serve.folder import MARK, make_folder


def modes(folder):
    return {p.relative_to(folder): stat.S_IMODE(p.lstat().st_mode) for p in sorted(folder.rglob("*"))}


def test_a_new_or_empty_folder_is_made_private_and_marked(tmp_path):
    for data in (tmp_path / "deep" / "new", tmp_path / "empty"):
        if data.name == "empty":
            data.mkdir(mode=0o755)
            (data / "lost+found").mkdir()
        make_folder(data)
        assert stat.S_IMODE(data.stat().st_mode) == 0o700
        assert (data / MARK).exists()
        make_folder(data)


def test_a_folder_of_other_things_is_refused_and_left_as_it_is(tmp_path):
    shared = tmp_path / "team"
    (shared / "plans").mkdir(parents=True)
    (shared / "plans" / "map.txt").write_text("ours all")
    for path in (shared, shared / "plans", shared / "plans" / "map.txt"):
        path.chmod(0o755)
    before = modes(shared)
    for folder in (shared, shared / "plans", shared / "plans" / "map.txt"):
        with pytest.raises(SetUpError, match=r"left as they are|no folder"):
            make_folder(folder)
    assert modes(shared) == before
    assert stat.S_IMODE(shared.stat().st_mode) == 0o755


def test_a_folder_that_lost_its_mark_is_known_by_its_lock_but_not_beside_other_things(tmp_path):
    for name in ("log", "uploads", "keys", "postgresql"):
        (tmp_path / name).mkdir()
    (tmp_path / "lock").touch()
    make_folder(tmp_path)
    (tmp_path / MARK).unlink()
    (tmp_path / "thesis.odt").touch()
    with pytest.raises(SetUpError, match=r"thesis\.odt"):
        make_folder(tmp_path)


def test_links_are_not_followed_and_what_we_do_not_know_keeps_its_mode(tmp_path):
    outside, data = tmp_path / "outside", tmp_path / "data"
    (outside / "inner").mkdir(parents=True)
    (outside / "letter").write_text("mine")
    for path in (outside, outside / "inner", outside / "letter"):
        path.chmod(0o755)
    make_folder(data)
    (data / "uploads" / "one").mkdir(parents=True)
    (data / "uploads" / "one" / "rows").write_text("a,b")
    (data / "uploads" / "one" / "rows").chmod(0o644)
    (data / "uploads" / "away").symlink_to(outside)
    (data / "made").symlink_to(outside)
    (data / "uploads" / "twin").hardlink_to(outside / "letter")
    (data / "notes").mkdir(mode=0o755)
    (data / "notes").chmod(0o755)
    before = modes(outside)
    make_folder(data)
    assert modes(outside) == before
    found = modes(data)
    assert found[(data / "uploads" / "one" / "rows").relative_to(data)] == 0o600
    assert found[(data / "notes").relative_to(data)] == 0o755
    assert os.readlink(data / "made") == str(outside)


def test_sessions_are_ended_in_a_data_folder_alone(tmp_path):
    (tmp_path / "sessions").mkdir()
    (tmp_path / "sessions" / "minutes.txt").write_text("somebody else's")
    done = CliRunner().invoke(main, ["serve", "--data", str(tmp_path), "--end-sessions"])
    assert done.exit_code == 1
    assert "no data folder of Steady Tally's" in done.output
    assert (tmp_path / "sessions" / "minutes.txt").exists()
    (tmp_path / MARK).write_text("")
    done = CliRunner().invoke(main, ["serve", "--data", str(tmp_path), "--end-sessions"])
    assert (done.exit_code, "Sessions ended: 1." in done.output) == (0, True)
