"""What goes wrong, on purpose and in numbers: kills, mutants, flips, full and read-only disks. No network.

`python -m bench.faults` prints a row for each kind as JSON: how many were tried, how many lost work, gave a wrong result, ended in
anything but an error of ours, or took over five seconds. The tests run a small part of it.
"""

from __future__ import annotations

import json
import os
import random
import resource
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path

import av
import click
import numpy as np

from north_hush.core.errors import HushError
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.pass_worker import request_line
from north_hush.core.footage.passes import make_evidence
from north_hush.core.footage.store import read_evidence
from north_hush.core.handover.events import read_truth
from north_hush.core.judge.device import device_alarms, guess_choice, read_alarm_table
from north_hush.core.scene.mask_image import WrongSize, mask_image, read_mask_image
from north_hush.core.site.bundle import read_bundle, write_bundle
from north_hush.core.site.edits import add_view, new_site
from north_hush.core.site.file import load_site
from north_hush.core.site.saving import backup_of, save_site
from tests.frame_child import frame_command

SLOW_S = 5.0
SAVING = """
import sys
from pathlib import Path
from north_hush.core.site.edits import new_site
from north_hush.core.site.saving import save_site
path, number = Path(sys.argv[1]), 0
while True:
    number += 1
    save_site(new_site(f"site {number}"), path)
    print(number, flush=True)
"""


def kills(tries: int, folder: Path) -> Counter[str]:
    """Kill a process that saves all the while; what it told to be saved must be on the disk."""
    path, found = folder / "a.hush.json", Counter(tried=tries)
    save_site(new_site("site 0"), path)
    draw = random.Random(1)
    for _ in range(tries):
        child = subprocess.Popen([sys.executable, "-c", SAVING, str(path)], stdout=subprocess.PIPE, text=True)
        assert child.stdout is not None
        child.stdout.readline()
        time.sleep(draw.random() * 0.05)
        child.send_signal(signal.SIGKILL)
        told = [int(line) for line in child.stdout.read().split() if line.isdigit()]
        child.wait()
        for held in (path, backup_of(path)):
            try:
                number = int(load_site(held).name.split()[-1])
            except HushError:
                found["lost"] += 1
                continue
            if held == path and told and number < max(told):
                found["lost"] += 1
    return found


def _values(evidence: Evidence, name: str) -> bytes:
    return evidence.values(name, 0, len(evidence.frames)).tobytes()


def passes(tries: int, folder: Path) -> Counter[str]:
    """Kill a pass at any moment; the next one must give what an undisturbed one gives, and clear what was left."""
    found, draw = Counter(tried=tries), random.Random(6)
    footage = Footage(small_video(folder / "a.mkv"))
    index, root = index_recording(footage), folder / "evidence"
    whole = make_evidence(index, EvidenceOptions(), root=folder / "sound")
    assert whole is not None
    sound = _values(read_evidence(whole[0]), "step")
    for _ in range(tries):
        child = subprocess.Popen(
            [sys.executable, "-m", "north_hush", "_pass"],
            stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, env={**os.environ, "NORTH_HUSH_CACHE": str(root)},
        )  # fmt: skip
        assert child.stdin is not None
        child.stdin.write(request_line(footage, EvidenceOptions()))
        child.stdin.flush()
        time.sleep(0.3 + draw.random() * 0.9)
        child.kill()
        child.wait()
        child.stdin.close()
        made = make_evidence(index, EvidenceOptions(), root=root)
        assert made is not None
        found["wrong"] += _values(read_evidence(made[0]), "step") != sound
        found["left"] += sum(path != made[0] for path in root.iterdir())
        shutil.rmtree(made[0])
    return found


@contextmanager
def disk(folder: Path, kilobytes: int, *, read_only: bool = False) -> Iterator[Path]:
    """A disk of its own of so many kilobytes; needs root."""
    subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={kilobytes}k", "tmpfs", str(folder)], check=True)
    try:
        save_site(new_site("before"), folder / "a.hush.json")
        if read_only:
            subprocess.run(["mount", "-o", "remount,ro", str(folder)], check=True)
        yield folder
    finally:
        subprocess.run(["umount", str(folder)], check=True)


def disks(tries: int, folder: Path) -> Counter[str]:
    """Saves and passes on disks that are full after a few blocks, or cannot be written: all of it, or an error of ours with what was
    there untouched."""
    found, draw = Counter(tried=tries), random.Random(7)
    if os.geteuid() != 0:
        return Counter(tried=0, needs_root=1)
    index = index_recording(Footage(small_video(folder / "a.mkv")))
    (folder / "disk").mkdir()
    held, spare = tempfile.tempdir, folder / "gone"
    for number in range(tries):
        with disk(folder / "disk", 4 * draw.randint(6, 60), read_only=number % 4 == 3) as place:
            path = place / "a.hush.json"
            large = new_site("after")
            for name in range(draw.randint(0, 600)):
                large = add_view(large, f"view {name}")
            tempfile.tempdir = str(spare)  # nothing beside the disk either
            for act in (
                partial(save_site, large, path),
                partial(make_evidence, index, EvidenceOptions(), root=place / "e"),
            ):
                try:
                    act()
                    found["done"] += 1
                except HushError:
                    found["refused"] += 1
                except Exception as error:  # noqa: BLE001
                    found["tracebacks"] += 1
                    found[f"traceback {type(error).__name__}"] += 1
            tempfile.tempdir = held
            found["lost"] += load_site(path).name not in ("before", "after")
            found["left"] += len(list(place.glob(".a.hush.json*.part")))
    return found


def mutated(data: bytes, draw: random.Random) -> bytes:
    """Bytes with a few faults: flipped, cut, doubled, or with something strange put in."""
    held = bytearray(data)
    for _ in range(draw.randint(1, 4)):
        at = draw.randrange(len(held)) if held else 0
        act = draw.randrange(6)
        if act == 0 and held:
            held[at] ^= 1 << draw.randrange(8)
        elif act == 1:
            del held[at : at + draw.randint(1, 40)]
        elif act == 2:
            held[at:at] = held[at : at + draw.randint(1, 40)] * draw.randint(1, 5)
        elif act == 3:
            strange = (
                b"\x00",
                b"NaN",
                b"1e999",
                b"-1",
                b"9" * 5000,
                b"[" * 3000,
                b'"',
                b"99:99:99",
                b"9999-12-31 23:59:60",
                b"\xff",
            )
            held[at:at] = draw.choice(strange)
        elif act == 4:
            del held[at:]
        else:
            held[at:at] = bytes(draw.randrange(256) for _ in range(draw.randint(1, 8)))
    return bytes(held)


def readers(folder: Path):
    """Each reader with a sound file of its own, and how it is called."""
    site = folder / "site.hush.json"
    save_site(new_site("Skerry Quay"), site)
    rows = "name,start_s,end_s\nperson,1,2\nboat,3.5,9\n"
    listed = [{"name": "person", "start_s": 1, "end_s": 2, "place": [[1, 0.1, 0.2, 0.3, 0.4]]}]
    plain = mask_image(np.tile(np.arange(12, dtype=np.uint8), (8, 1)) * 20, "pgm-plain")
    png = mask_image(np.tile(np.arange(12, dtype=np.uint8), (8, 1)) * 20, "png")
    device = "time;end;zone\n2026-11-23 10:00:00;2026-11-23 10:00:05;Slip\n00:00:07;00:00:09;Quay\n"

    packed = folder / "sound.zip"
    write_bundle([site], packed, recordings=True)

    def unpacked(path: Path) -> object:
        with tempfile.TemporaryDirectory() as into:
            return read_bundle(path, Path(into))

    def alarms(path: Path) -> object:
        table = read_alarm_table(path)
        return device_alarms(table, guess_choice(table), 60.0, None)

    return (
        (site.read_bytes(), ".json", load_site),
        (rows.encode(), ".csv", lambda path: read_truth(path, 60.0, ["zone-1"])),
        (json.dumps(listed).encode(), ".json", lambda path: read_truth(path, 60.0, ["zone-1"])),
        (device.encode(), ".csv", alarms),
        (plain, ".pgm", lambda path: read_mask_image(path, 12, 8)),
        (png, ".png", lambda path: read_mask_image(path, 12, 8)),
        (packed.read_bytes(), ".zip", unpacked),
    )


def mutants(tries: int, folder: Path) -> Counter[str]:
    """Mutated files through every reader: a value, or an error of ours."""
    draw, found = random.Random(2), Counter(tried=tries)
    held = readers(folder)
    for number in range(tries):
        data, suffix, read = held[number % len(held)]
        path = folder / f"mutant{suffix}"
        path.write_bytes(mutated(data, draw))
        began = time.monotonic()
        try:
            read(path)
        except (HushError, WrongSize):  # the second is a question: rescale it?
            found["refused"] += 1
        except Exception as error:  # noqa: BLE001 - counting them is the point
            found["tracebacks"] += 1
            found[f"traceback {type(error).__name__} {suffix}"] += 1
        found["slow"] += time.monotonic() - began > SLOW_S
    return found


def small_video(path: Path) -> Path:
    """A few frames of noise."""
    draw = np.random.default_rng(3)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=10, options={"g": "10"})
        stream.width, stream.height, stream.pix_fmt = 64, 48, "yuv420p"
        for _ in range(40):
            picture = draw.integers(0, 256, (48, 64, 3)).astype(np.uint8)
            container.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
        container.mux(stream.encode())
    return path


def flips(tries: int, folder: Path) -> Counter[str]:
    """Flipped bits in stored evidence: found out, or without any effect."""
    index = index_recording(Footage(small_video(folder / "a.mkv")))
    made = make_evidence(index, EvidenceOptions(), root=folder / "evidence")
    assert made is not None
    held = made[0]
    sound = {name: _values(read_evidence(held), name) for name in ("step", "drift", "foreground")}
    files = sorted(path for path in held.iterdir() if path.is_file())
    index_before = (held / "index.json").read_bytes()
    draw, found = random.Random(4), Counter(tried=tries)
    for number in range(tries):
        (held / "index.json").write_bytes(index_before)  # it goes with a part that was found damaged
        path = files[number % len(files)] if number % 2 else held / "index.json"
        data = bytearray(path.read_bytes())
        data[draw.randrange(len(data))] ^= 1 << draw.randrange(8)
        before = path.read_bytes()
        path.write_bytes(data)
        try:
            read = read_evidence(held)
            object.__setattr__(read, "key", f"{read.key} {number}")  # past what is kept in memory
            wrong = any(_values(read, name) != values for name, values in sound.items())
            found["wrong"] += wrong
        except HushError:
            found["refused"] += 1
        except Exception as error:  # noqa: BLE001
            found["tracebacks"] += 1
            found[f"traceback {type(error).__name__}"] += 1
        path.write_bytes(before)
    return found


def videos(tries: int, folder: Path) -> Counter[str]:
    """Mutated videos through the real frame worker, a process each: pictures, or an error of ours."""
    data = small_video(folder / "a.mkv").read_bytes()
    draw, found = random.Random(5), Counter(tried=tries)
    for number in range(tries):
        path = folder / f"v{number}.mkv"
        path.write_bytes(mutated(data, draw))
        asked = [{"path": str(path), "frames_per_s": None, "orientation": None}, {"want": "picture", "frame": 30}]
        began = time.monotonic()
        done = subprocess.run(
            frame_command(),
            input="".join(json.dumps(request) + "\n" for request in asked).encode(),
            capture_output=True,
            check=False,
        )
        found["crashed"] += done.returncode < 0
        found["tracebacks"] += b"Traceback" in done.stderr
        found["slow"] += time.monotonic() - began > SLOW_S
        path.unlink()
    return found


KINDS = {"kills": kills, "passes": passes, "disks": disks, "mutants": mutants, "flips": flips, "videos": videos}


@click.command()
@click.option("--kills", "kill_tries", default=700, show_default=True)
@click.option("--passes", "pass_tries", default=300, show_default=True)
@click.option("--disks", "disk_tries", default=200, show_default=True)
@click.option("--mutants", "mutant_tries", default=10_000, show_default=True)
@click.option("--flips", "flip_tries", default=4_000, show_default=True)
@click.option("--videos", "video_tries", default=500, show_default=True)
def main(
    kill_tries: int, pass_tries: int, disk_tries: int, mutant_tries: int, flip_tries: int, video_tries: int
) -> None:
    """Print a row for each kind as JSON."""
    tries = {
        "kills": kill_tries, "passes": pass_tries, "disks": disk_tries, "mutants": mutant_tries, "flips": flip_tries,
        "videos": video_tries,
    }  # fmt: skip
    for kind, run in KINDS.items():
        with tempfile.TemporaryDirectory(prefix="north-hush-faults-") as folder:
            found = run(tries[kind], Path(folder))
        peak_mb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
        click.echo(json.dumps({"kind": kind, **found, "peak_mb": peak_mb}))


if __name__ == "__main__":
    main()
