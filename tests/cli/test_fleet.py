"""Many sites at once: on this machine, and on a Dask cluster of a scheduler and two workers on loopback."""

import json
import os
import shutil
import signal
import subprocess
import sys
import time

import pytest

from north_hush.core.fleet import engine
from north_hush.core.fleet.tasks import Task, do
from tests.cli.running import run
from tests.footage_maker import moving_square, write_video

COUNT = 6


@pytest.fixture
def sites(tmp_path, recording):
    """Two sites of three recordings each, of which one cannot be read."""
    made = []
    for name in ("east", "west"):
        folder = tmp_path / name
        folder.mkdir()
        paths = [shutil.copy(recording, folder / f"{number}.mkv") for number in range(3)]
        site = folder / f"{name}.hush.json"
        run("new", site, *paths, "--zone", "All=0,0;1,0;1,1;0,1")
        (folder / "truth.csv").write_text("name,start_s,end_s\nsquare,1.2,4.8\n")
        for number in range(3):
            run("truth", site, f"{number}.mkv", folder / "truth.csv")
        made.append(site)
    (tmp_path / "west" / "1.mkv").write_bytes(b"no recording")
    return made


def fleet(*args):
    return json.loads(run("fleet", *args, "--json"))


def test_passes_run_side_by_side_and_what_is_there_is_skipped(sites):
    first = fleet(*sites, "pass", "--jobs", 2)
    assert len(first["tasks"]) == COUNT and first["errors"] == 1
    broken = next(row for row in first["tasks"] if "error" in row)
    assert broken["recording"] == "1.mkv" and "1.mkv" in broken["error"]  # told by its name, and the rest went on
    again = fleet(*sites, "pass", "--jobs", 2)
    assert [row.get("made") for row in again["tasks"]].count(False) == COUNT - 1


def test_scores_are_those_of_each_site_alone(sites):
    rows = fleet(*sites, "score", "--jobs", 2)["tasks"]
    for site in sites:
        alone = json.loads(run("score", site, "--json"))["recordings"]
        here = [row for row in rows if row["site"] == str(site)]
        for one, row in zip(alone, here, strict=True):
            if "error" in one:
                assert "error" in row
            else:
                assert {name: one[name] for name in ("met", "alarms", "nuisance")} == {
                    name: row["score"][name] for name in ("met", "alarms", "nuisance")
                }


def test_reports_go_into_a_folder(sites, tmp_path):
    rows = fleet(sites[0], "report", "--out", tmp_path / "out")["tasks"]
    assert [row["file"] for row in rows] == [str(tmp_path / "out" / "east-report.html")]
    assert "Incidents met" in (tmp_path / "out" / "east-report.html").read_text()
    assert "needs a folder" in run("fleet", sites[0], "report", code=1)


def test_what_makes_no_sense_is_told(sites):
    run("fleet", sites[0], "sweep", code=2)
    run("fleet", "pass", code=2)
    assert "is unknown" in run("fleet", sites[0], "pass", "--engine", "spark://x", code=1)
    assert "cannot be reached" in run("fleet", sites[0], "pass", "--engine", "dask://127.0.0.1:9", code=1)


def test_a_worker_of_another_version_is_refused():
    told = do(Task("pass", "/nowhere"), "0.0.0")
    assert "refused" in told["error"]


def dies_once(task, version):
    """Stands for a decoder that takes its process with it."""
    mark = f"{task.site}.died"
    if not os.path.exists(mark):  # noqa: PTH110
        open(mark, "w").close()  # noqa: PTH123
        os.kill(os.getpid(), signal.SIGKILL)
    return {"work": task.work, "site": task.site, "view": "", "recording": ""}


def dies_always(task, version):
    os.kill(os.getpid(), signal.SIGKILL)


def test_what_a_dead_worker_had_in_hand_is_handed_in_again(tmp_path, monkeypatch):
    monkeypatch.setattr(engine, "do", dies_once)
    given = [Task("pass", str(tmp_path / f"{number}")) for number in range(3)]
    found = dict(engine.run(given, 2))
    assert {place: row["site"] for place, row in found.items()} == {
        place: task.site for place, task in enumerate(given)
    }


def test_a_task_that_always_kills_its_worker_is_given_up(tmp_path, monkeypatch):
    monkeypatch.setattr(engine, "do", dies_always)
    ((_, row),) = engine.run([Task("pass", str(tmp_path))], 1)
    assert "given up" in row["error"]


def test_an_overview_tells_what_costs_most_attention_first(sites):
    run("fleet", sites[1], "pass", "--jobs", "1")
    told = json.loads(run("overview", sites[1], "--json"))
    (row,) = told["views"]
    assert (row["recordings"], row["analysed"], len(row["failed"])) == (3, 2, 1)
    assert (row["met"], row["incidents"], row["blind"], row["live"]) == (2, 2, [], False)
    assert {held["said"] for held in told["advice"]} >= {"1 view with recordings that cannot be read"}
    text = run("overview", sites[1], "--order", "name")
    assert "2 of 3 analysed" in text and row["failed"][0] in text
    run("overview", sites[1], "--order", "size", code=2)


@pytest.fixture
def cluster(tmp_path):
    """A scheduler and two workers, as processes."""
    pytest.importorskip("distributed")
    ready = tmp_path / "scheduler.json"
    dask = [sys.executable, "-m", "distributed.cli.dask_scheduler"]
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "cwd": tmp_path}
    processes = [
        subprocess.Popen(
            [*dask, "--host", "127.0.0.1", "--port", "0", "--no-dashboard", "--scheduler-file", ready], **quiet
        )
    ]
    for _ in range(200):
        if ready.exists() and ready.stat().st_size:
            break
        time.sleep(0.1)
    address = json.loads(ready.read_text())["address"].removeprefix("tcp://")
    worker = [
        sys.executable,
        "-m",
        "distributed.cli.dask_worker",
        "--scheduler-file",
        ready,
        "--nthreads",
        "1",
        "--no-nanny",
        "--no-dashboard",
    ]
    processes += [
        subprocess.Popen([*worker, "--local-directory", tmp_path / f"w{number}"], **quiet) for number in range(2)
    ]
    yield address, processes
    for process in processes:
        process.kill()
        process.wait()


def test_a_cluster_does_the_same_work_and_survives_a_killed_worker(sites, cluster):
    address, processes = cluster
    rows = fleet(*sites, "pass", "--engine", f"dask://{address}")
    assert rows["errors"] == 1 and [row.get("frames") for row in rows["tasks"]].count(60) == COUNT - 1
    asked = [
        sys.executable,
        "-m",
        "north_hush",
        "fleet",
        *map(str, sites),
        "score",
        "--engine",
        f"dask://{address}",
        "--json",
    ]
    with subprocess.Popen(asked, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True) as running:
        time.sleep(2.0)
        processes[1].kill()
        told = json.loads(running.communicate(timeout=120)[0])
    here = fleet(*sites, "score", "--jobs", 2)
    assert told["tasks"] == here["tasks"]


def test_a_long_recording_is_named_in_progress(tmp_path):
    recording = write_video(tmp_path / "a.mkv", moving_square(20))
    run("new", tmp_path / "a.hush.json", recording)
    done = subprocess.run(
        [sys.executable, "-m", "north_hush", "fleet", tmp_path / "a.hush.json", "pass"],
        capture_output=True,
        text=True,
        check=True,
    )
    assert "1 of 1: a.hush.json a.mkv" in done.stderr and "20 frames" in done.stdout
