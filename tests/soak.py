"""Clients that edit, play, upload, render and delete, while processes are killed at random; and what is left after it.

python -m tests.soak --minutes 10 --clients 8    tells what was done, what was lost, and how much memory was held
"""

import argparse
import http.client
import json
import os
import random
import signal
import sqlite3
import statistics
import tempfile
import threading
import time
import uuid
from collections import Counter
from contextlib import suppress
from pathlib import Path

from tests.browser.conftest import Studio
from tests.scenes import document, figure, step

TOKEN = {"X-CSRFToken": "k" * 32, "Cookie": f"csrftoken={'k' * 32}"}
RADIUS = "/figures/{}/routine/0/settings/radius"
DRAWING = '<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0h{} v9z" fill="red"/></svg>'
# A server that was killed is there again within this.
PATIENCE_SECONDS = 90
SAMPLE_SECONDS = 2


def balls(count):
    one = [step("sphere", radius=1, rings=4, segments=6), step("grid", columns=6, rows=4, layers=1)]
    return document(*[figure(*one, name=f"F{k}") for k in range(count)], clock={"fps": 24, "frames": 24, "loops": True})


def radius_in(document, index) -> float:
    return document["figures"][index]["routine"][0]["settings"]["radius"]


class Asked:
    """Asks a server that may be away; what is sent with a name of its own is sent until it is answered."""

    def __init__(self, studio):
        self.studio = studio
        self.statuses = Counter()

    def once(self, method, path, body=None, headers=()):
        connection = http.client.HTTPConnection("127.0.0.1", self.studio.port, timeout=60)
        try:
            connection.request(method, path, body, {**TOKEN, **dict(headers)})
            answer = connection.getresponse()
            data = answer.read()
        finally:
            connection.close()
        self.statuses[answer.status] += 1
        return answer.status, data

    def once_or_lost(self, *asked):
        """Ask; None if no answer came."""
        try:
            return self.once(*asked)
        except (OSError, http.client.HTTPException):
            return None

    def until_answered(self, method, path, body):
        """Ask again and again, until there is an answer that says something of what was asked."""
        end = time.monotonic() + PATIENCE_SECONDS
        while True:
            answer = self.once_or_lost(method, path, json.dumps(body), {"Content-Type": "application/json"})
            if answer and answer[0] < 500:
                return answer
            if time.monotonic() > end:
                raise TimeoutError(f"{method} {path}: {answer}")
            time.sleep(0.2)


class Client(threading.Thread):
    """Somebody at work on scenes of their own and on one that all share."""

    def __init__(self, number, studio, shared, stopping, seed):
        super().__init__(name=f"client {number}")
        self.number, self.asked, self.shared, self.stopping = number, Asked(studio), shared, stopping
        self.chance = random.Random(seed)
        self.done, self.faults = Counter(), []
        # What is acknowledged: (scene, figure) -> radius, and scenes that are deleted.
        self.radii, self.deleted, self.own, self.jobs = {}, set(), [], []

    def run(self):
        works = [
            (self.edit, 12), (self.play, 4), (self.upload, 2), (self.render, 1), (self.make, 1), (self.delete, 1),
            (self.look, 3), (self.replace, 1), (self.cancel, 1),
        ]  # fmt: skip
        try:
            self.make()
            while not self.stopping.is_set():
                (work,) = self.chance.choices([one for one, _ in works], [weight for _, weight in works])
                work()
                self.done[work.__name__] += 1
        except Exception as error:
            self.faults.append(f"{self.name}: {type(error).__name__}: {error}")

    def post(self, path, **body):
        status, data = self.asked.until_answered("POST", path, body)
        return status, data

    def make(self):
        if len(self.own) > 3:
            return
        status, data = self.post("/api/scenes", **balls(1))
        self.expect(status == 201, "make", status, data)
        self.own.append(json.loads(data)["id"])

    def expect(self, is_so, *words):
        if not is_so:
            self.faults.append(f"{self.name}: {words}"[:300])

    def edit(self):
        """Change a radius as a page does: under a name of its own, upon whatever others did meanwhile."""
        is_shared = self.chance.random() < 0.4
        scene, index = (self.shared, self.number) if is_shared else (self.chance.choice(self.own), 0)
        value, name = round(self.chance.uniform(1, 50), 3), str(uuid.uuid4())
        patch = [{"op": "replace", "path": RADIUS.format(index), "value": value}]
        stored = json.loads(self.asked.until_answered("GET", f"/api/scenes/{scene}", None)[1])
        revision, found = stored["revision"], radius_in(stored["document"], index)
        self.expect(self.radii.get((scene, index), found) == found, "lost", scene, index, found)
        while True:
            status, data = self.post(f"/api/scenes/{scene}/patch", revision=revision, patch=patch, id=name)
            if status != 409:
                break
            # The same may have arrived already, its answer lost, and others have changed something since.
            _, known = self.post(f"/api/scenes/{scene}/known", ids=[name])
            if json.loads(known)["known"]:
                break
            revision = json.loads(data)["revision"]
        self.expect(status in (200, 409), "edit", status, data)
        self.radii[scene, index] = value

    def play(self):
        scene = self.chance.choice([self.shared, *self.own])
        body = json.dumps({"frames": self.chance.sample(range(24), 6)})
        path = f"/api/scenes/{scene}/frames"
        answer = self.asked.once_or_lost("POST", path, body, {"Content-Type": "application/json"})
        self.expect(not answer or answer[0] == 200, "play", answer)

    def look(self):
        scene = self.chance.choice([self.shared, *self.own])
        path = self.chance.choice(
            [f"/scenes/{scene}/thumbnail.png", f"/api/scenes/{scene}/checks", f"/scenes/{scene}/"]
        )
        answer = self.asked.once_or_lost("GET", path)
        self.expect(not answer or answer[0] in (200, 404, 503), "look", path, answer)

    def upload(self, path="/api/assets"):
        drawing = DRAWING.format(self.chance.randint(1, 10**6)).encode()
        name = f"c{self.number}-{self.chance.randint(1, 4)}.svg"
        body = b'--b\r\nContent-Disposition: form-data; name="file"; filename="%s"\r\n\r\n%s\r\n--b--\r\n'
        headers = {"Content-Type": "multipart/form-data; boundary=b"}
        answer = self.asked.once_or_lost("POST", path, body % (name.encode(), drawing), headers)
        self.expect(not answer or answer[0] in (200, 201, 404, 503), "upload", answer)
        return answer

    def replace(self):
        answer = self.asked.once_or_lost("GET", "/api/assets")
        mine = [one["id"] for one in json.loads(answer[1])] if answer and answer[0] == 200 else []
        mine = [slug for slug in mine if slug.startswith(f"c{self.number}-")]
        if mine and self.chance.random() < 0.5:
            self.upload(f"/api/assets/{self.chance.choice(mine)}/replace")
        elif mine:
            answer = self.asked.once_or_lost("DELETE", f"/api/assets/{self.chance.choice(mine)}")
            self.expect(not answer or answer[0] in (204, 404, 503), "remove", answer)

    def render(self):
        wanted = {"format": "png", "first": 0, "last": 5, "width": 96, "height": 54, "samples": 1}
        headers = {"Content-Type": "application/json"}
        scene = self.chance.choice(self.own)
        answer = self.asked.once_or_lost("POST", f"/api/scenes/{scene}/renders", json.dumps(wanted), headers)
        self.expect(not answer or answer[0] in (201, 503), "render", answer)
        if answer and answer[0] == 201:
            self.jobs.append(json.loads(answer[1])["id"])

    def cancel(self):
        if self.jobs:
            self.asked.once_or_lost("POST", f"/api/renders/{self.chance.choice(self.jobs)}/cancel", "{}")

    def delete(self):
        if len(self.own) < 2:
            return
        scene = self.own.pop(0)
        answer = self.asked.once_or_lost("POST", f"/scenes/{scene}/delete")
        if answer and answer[0] in (302, 404):
            self.deleted.add(scene)
        # Without an answer nobody knows; it is neither asked for nor looked at any more.
        self.radii = {where: radius for where, radius in self.radii.items() if where[0] != scene}


def processes_of(studio) -> dict[int, str]:
    """The processes of a server by their ids, with what they do."""
    found = {}
    for place in Path("/proc").iterdir():
        with suppress(OSError, ValueError):
            words = (place / "cmdline").read_bytes().split(b"\0")
            if b"manage.py" in words and os.getpgid(int(place.name)) == studio.process.pid:
                found[int(place.name)] = words[words.index(b"manage.py") + 1].decode()
    return found


def memory_of(pids) -> float:
    """Megabytes that processes hold together."""
    total = 0
    for pid in pids:
        with suppress(OSError, StopIteration):
            lines = Path(f"/proc/{pid}/status").read_text().splitlines()
            total += next(int(line.split()[1]) for line in lines if line.startswith("VmRSS"))
    return total / 1024


def killer(studio, stopping, chance, every, killed):
    """Kill a worker, a process that computes, or the whole server, now and then."""
    while not stopping.wait(chance.uniform(*every)):
        what = chance.choice(["render_worker", "compute", "compute", "everything"])
        if what == "everything":
            studio.kill()
            time.sleep(chance.uniform(0, 1))
            studio.start()
        else:
            pids = [pid for pid, does in processes_of(studio).items() if does == what]
            if not pids:
                continue
            with suppress(ProcessLookupError):
                os.kill(chance.choice(pids), signal.SIGKILL)
        killed[what] += 1


def soak(folder: Path, seconds: float, clients: int, seed: int, every=(8, 20)) -> dict:
    """Run it all; return what was done, what is wrong, and the memory held."""
    studio = Studio(folder)
    stopping, killed, memory = threading.Event(), Counter(), []
    chance = random.Random(seed)
    try:
        _, data = Asked(studio).until_answered("POST", "/api/scenes", balls(clients))
        shared = json.loads(data)["id"]
        workers = [Client(number, studio, shared, stopping, seed + number) for number in range(clients)]
        killing = threading.Thread(target=killer, args=(studio, stopping, chance, every, killed))
        for thread in (*workers, killing):
            thread.start()
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            time.sleep(SAMPLE_SECONDS)
            memory.append(memory_of(processes_of(studio)))
        stopping.set()
        for thread in (*workers, killing):
            thread.join(PATIENCE_SECONDS + 60)
        wrong = [fault for worker in workers for fault in worker.faults]
        wrong += [f"{worker.name} did not end" for worker in workers if worker.is_alive()]
        wrong += lost(studio, workers)
        # As after a power cut: what was half done is put right at the next start.
        studio.kill()
        studio.start()
        wrong += lost(studio, workers) + without_owner(folder)
    finally:
        studio.stop()
    wrong += [f"process {pid} ({does}) is still there" for pid, does in processes_of(studio).items()]
    return {
        "done": dict(sum((worker.done for worker in workers), Counter())),
        "statuses": dict(sum((worker.asked.statuses for worker in workers), Counter())),
        "killed": dict(killed),
        "acknowledged": sum(len(worker.radii) for worker in workers),
        "memory": told(memory),
        "wrong": wrong,
    }


def told(memory) -> dict:
    """The megabytes held at the beginning and at the end, each the median of a third; and the most."""
    third = max(1, len(memory) // 3)
    return {
        "first third": round(statistics.median(memory[:third])),
        "last third": round(statistics.median(memory[-third:])),
        "most": round(max(memory)),
    }


def lost(studio, workers) -> list[str]:
    """What was acknowledged and is not so."""
    wrong, documents = [], {}
    for worker in workers:
        for (scene, index), radius in worker.radii.items():
            if scene not in documents:
                documents[scene] = studio.document(scene)
            found = radius_in(documents[scene], index)
            if found != radius:
                wrong.append(f"lost: scene {scene}, figure {index} is {found}, acknowledged was {radius}")
    there = {scene["id"] for scene in studio.get("/api/scenes")}
    return wrong + [f"deleted scene {one} is back" for worker in workers for one in worker.deleted & there]


def without_owner(folder: Path) -> list[str]:
    """Rows without their file, and files without a row."""
    with sqlite3.connect(folder / "studio.sqlite3") as database:
        digests = {digest for (digest,) in database.execute("select digest from assets_asset")}
        scenes = {str(one) for (one,) in database.execute("select id from scenes_scene")}
        jobs = {str(one) for (one,) in database.execute("select id from renders_renderjob")}
    files = {path.name for path in (folder / "assets").iterdir()}
    wrong = [f"no file: {one}" for one in digests - files] + [f"no row: {one}" for one in files - digests]
    for name, owners in (("thumbnails", scenes), ("previews", digests), ("renders", jobs)):
        for path in (folder / name).glob("*"):
            if path.name.split("-")[0].split(".")[0] not in owners:
                wrong.append(f"no owner: {name}/{path.name}")
    return wrong


def main():
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--minutes", type=float, default=10)
    parser.add_argument("--clients", type=int, default=8)
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        found = soak(Path(folder), asked.minutes * 60, asked.clients, asked.seed)
    print(json.dumps(found, indent=1))
    raise SystemExit(bool(found["wrong"]))


if __name__ == "__main__":
    main()
