"""How long it takes to look for what was left and taken in an hour: `python -m bench.things [gales|nights|afternoons|crowds]`.

The hour is glued, packet by packet, of one of the demo's recordings again and again: of gales, in which a thing comes or goes every
minute; nights and afternoons; crowds. Nothing is known beforehand but the evidence and its tracks; each hour is asked in a process of
its own.
"""

from __future__ import annotations

import resource
import subprocess
import sys
import time
from fractions import Fraction
from pathlib import Path
from tempfile import TemporaryDirectory

import av

from north_hush.core.ask.footage import ask_recording
from north_hush.core.ask.question import Question
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.passes import evidence_of
from north_hush.core.site.edits import new_site

DATA = Path(__file__).parents[1] / "north_hush" / "demo" / "data"
HOURS = {"gales": "gale", "nights": "night", "afternoons": "afternoon", "crowds": "regatta"}
LENGTH_S = 3600.0


def glue(name: str, target: Path) -> None:
    """A recording again and again, until it is an hour long."""
    with av.open(str(target), "w") as out:
        stream, reached_s = None, 0.0
        while reached_s < LENGTH_S:
            with av.open(str(DATA / f"{name}.mp4")) as part:
                source = part.streams.video[0]
                stream = stream or out.add_stream_from_template(source)
                base = source.time_base or Fraction(1, 1000)
                offset, end_s = round(reached_s / base), reached_s
                for packet in part.demux(source):
                    if packet.dts is None or packet.pts is None:
                        continue
                    end_s = max(end_s, reached_s + float((packet.pts + packet.duration) * base))
                    packet.pts, packet.dts = packet.pts + offset, packet.dts + offset
                    packet.time_base, packet.stream = base, stream
                    out.mux(packet)
                reached_s = end_s


def ask(video: Path, time_asked: int) -> None:
    """Ask once the compiler is warm, and print what it took; each time of a place that nobody has asked of yet."""
    low = 1 - 1e-6 * time_asked
    place = ((0.0, 0.0), (1.0, 0.0), (1.0, low), (0.0, low))
    view, evaluator = new_site("Skerry Quay").views[0], Evaluator()
    index = index_recording(Footage(video))
    evidence = evidence_of(index, EvidenceOptions(), video.parent / "evidence")
    evaluator.apart(evidence, view.plan)
    warm = evidence.between(0, min(len(evidence.frames), 600))
    ask_recording(Question("left", place), index, warm, view, Evaluator())
    before, used = time.perf_counter(), time.process_time()
    things = {
        kind: len(ask_recording(Question(kind, place), index, evidence, view, evaluator)) for kind in ("left", "taken")
    }
    took, used = time.perf_counter() - before, time.process_time() - used
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(
        f"{video.stem}: {evidence.footage_s:.0f} s, {things}: {took:.1f} s ({used:.1f} s of processor), peak {peak:.0f} MB"
    )


def main(names: list[str]) -> None:
    with TemporaryDirectory(prefix="north-hush-things-") as folder:
        for name in names or list(HOURS):
            video = Path(folder) / f"{name}.mp4"
            glue(HOURS[name], video)
            for number in range(3):  # the first makes the evidence
                subprocess.run([sys.executable, "-m", "bench.things", "--ask", str(video), str(number)], check=True)


if __name__ == "__main__":
    if sys.argv[1:2] == ["--ask"]:
        ask(Path(sys.argv[2]), int(sys.argv[3]))
    else:
        main(sys.argv[1:])
