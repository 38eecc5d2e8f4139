"""Render jobs: claimed by lease, continued after a death, finished exactly once."""

import os
import signal
import socket
import subprocess
import sys
import threading
import time
from datetime import timedelta

import av
import numpy as np
import pytest
from django.db import connections
from django.utils import timezone

from pirouette.data import Cancelled, ProblemError
from studio.renders import services, work
from studio.renders.models import RenderFrame, RenderJob
from studio.renders.work import Worker
from studio.scenes.services import create_scene
from tests.scenes import ROOT, document, figure, formula, step

pytestmark = pytest.mark.django_db
ASK = {"format": "png", "first": 0, "last": 5, "width": 64, "height": 36, "samples": 1}


@pytest.fixture(autouse=True)
def own_folder(settings, tmp_path):
    settings.DATA = tmp_path


def job(**more):
    return services.create_job(create_scene(document(figure(step("box")))), **{**ASK, **more})


def finish(worker=None):
    worker = worker or Worker()
    while worker.work_once():
        pass


@pytest.mark.parametrize(
    ("format", "suffix"), [("mp4", "mp4"), ("webm", "webm"), ("gif", "gif"), ("png", "zip"), ("exr", "zip")]
)
@pytest.mark.django_db(transaction=True)
def test_a_job_ends_with_its_file(client, format, suffix):
    asked = job(format=format)
    finish()
    asked.refresh_from_db()
    assert asked.state == "done"
    assert services.result_path(asked).suffix == f".{suffix}"
    found = client.get(f"/api/renders/{asked.id}").json()
    assert found["done"] == found["total"] == 6
    assert found["file"] == f"/api/renders/{asked.id}/file"


@pytest.mark.django_db(transaction=True)
def test_a_movie_has_every_frame():
    asked = job(format="mp4")
    finish()
    with av.open(str(services.result_path(asked))) as movie:
        assert len(list(movie.decode(video=0))) == 6


@pytest.mark.django_db(transaction=True)
def test_a_still_of_16_bits_is_one_file():
    asked = job(format="png16", last=0)
    finish()
    with av.open(str(services.result_path(asked)), format="png_pipe") as file:
        assert next(file.decode(video=0)).format.name == "rgba64be"


@pytest.mark.django_db(transaction=True)
def test_frames_of_a_movie_wait_as_what_it_takes_and_go_when_it_is_made():
    asked = job(format="mp4", last=1)
    worker = Worker()
    worker.work_once()
    (frame,) = services.folder(asked).iterdir()
    assert np.load(frame).dtype == np.uint16
    assert np.load(frame).shape == (36, 64, 4)
    finish(worker)
    assert [path.name for path in services.folder(asked).iterdir()] == ["result.mp4"]


@pytest.mark.django_db(transaction=True)
def test_a_format_gets_the_layers_that_are_chosen():
    import OpenEXR

    asked = job(format="exr", last=0, options={"layers": ["depth"]})
    finish()
    with OpenEXR.File(str(services.result_path(asked)), separate_channels=True) as file:
        assert "depth.Z" in file.channels()


def test_a_render_that_does_not_fit_on_the_disk_is_refused_in_words(monkeypatch):
    monkeypatch.setattr(services, "_free_bytes", lambda: 10**8)
    with pytest.raises(ProblemError, match="render/size: this needs up to .* GB on the disk"):
        job(format="mp4", last=5000, width=1920, height=1080)


@pytest.mark.parametrize(
    ("wrong", "says"),
    [
        ({"format": "avi"}, "is not one of"),
        ({"first": 5, "last": 2}, "allowed 5 to"),
        ({"last": 90_000}, "allowed 0 to"),
        ({"format": "obj"}, "holds no pictures"),
        ({"format": "mp4", "options": {"quality": "best"}}, "is not one of small"),
    ],
)
def test_what_cannot_be_rendered_is_refused(wrong, says):
    with pytest.raises(ProblemError, match=says):
        job(**wrong)
    assert not RenderJob.objects.exists()


def test_a_frame_belongs_to_one_worker_at_a_time():
    job()
    frames = [services.claim_frame(f"elsewhere:{k}") for k in range(7)]
    assert [frame.number for frame in frames[:6]] == list(range(6))
    assert frames[6] is None


def test_a_lease_that_ran_out_is_given_to_another():
    job(last=0)
    first = services.claim_frame("elsewhere:1")
    assert services.claim_frame("elsewhere:2") is None
    RenderFrame.objects.filter(id=first.id).update(lease_until=timezone.now() - timedelta(seconds=1))
    assert services.claim_frame("elsewhere:2").id == first.id


def test_a_renewed_lease_is_kept():
    job(last=0)
    frame = services.claim_frame("elsewhere:1")
    RenderFrame.objects.filter(id=frame.id).update(lease_until=timezone.now() - timedelta(seconds=1))
    services.renew(frame)
    assert services.claim_frame("elsewhere:2") is None


def test_the_frames_of_a_dead_worker_are_free_at_once():
    job(last=0)
    process = subprocess.Popen([sys.executable, "-c", "pass"])
    process.wait()
    dead = services.worker_name().replace(str(os.getpid()), str(process.pid))
    frame = services.claim_frame(dead)
    assert services.claim_frame(services.worker_name()).id == frame.id


def test_progress_tells_done_total_and_time_left():
    asked = job()
    for _ in range(3):
        services.finish_frame(services.claim_frame("elsewhere:1"), 2.0)
    asked.refresh_from_db()
    found = services.progress(asked)
    assert (found["done"], found["total"], found["state"]) == (3, 6, "running")
    assert found["secondsLeft"] == 6.0
    assert found["file"] is None


@pytest.mark.django_db(transaction=True)
def test_a_cancelled_job_is_left_alone(client):
    asked = job()
    worker = Worker()
    worker.work_once()
    assert client.post(f"/api/renders/{asked.id}/cancel").json()["state"] == "cancelled"
    assert not worker.work_once()
    assert not services.folder(asked).exists()
    assert client.get(f"/api/renders/{asked.id}/file").status_code == 404


@pytest.mark.django_db(transaction=True)
def test_a_frame_that_cannot_be_computed_fails_its_job_in_words():
    scene = create_scene(document(figure(step("sphere"), step("twist", angle=formula("1/(frame-3)")))))
    asked = services.create_job(scene, **ASK)
    finish()
    asked.refresh_from_db()
    assert asked.state == "failed"
    assert "frame 3" in asked.message
    assert "not a finite number" in asked.message


@pytest.mark.django_db(transaction=True)
def test_a_job_renders_the_scene_as_it_was_when_asked_for():
    asked = job(last=0, format="png")
    asked.scene.document = document(figure(step("plane"), step("twist", angle=formula("1/0"))))
    asked.scene.save()
    finish()
    asked.refresh_from_db()
    assert asked.state == "done"


@pytest.mark.django_db(transaction=True)
def test_the_job_of_a_deleted_scene_ends():
    asked = job()
    worker = Worker()
    worker.work_once()
    asked.scene.delete()
    assert not worker.work_once()
    asked.refresh_from_db()
    assert asked.state == "cancelled"
    assert not services.folder(asked).exists()


@pytest.mark.django_db(transaction=True)
def test_a_frame_that_goes_wrong_is_tried_by_another_worker_then_ends_its_job_in_words(monkeypatch):
    bad, good = job(), job(last=0)
    tried, render = [], work.render_scene

    def failing(scene, frame, *args, **more):
        if frame == 2:
            tried.append(threading.current_thread().name)
            raise IndexError("of /somewhere/here")
        return render(scene, frame, *args, **more)

    monkeypatch.setattr(work, "render_scene", failing)
    one, two = Worker("one"), Worker("two")
    while one.work_once():
        pass
    row = RenderFrame.objects.get(job=bad, number=2)
    assert (row.state, row.failures, len(tried)) == ("waiting", 1, 1)
    finish(two)
    finish(one)
    bad.refresh_from_db()
    good.refresh_from_db()
    assert len(tried) == 2
    assert (bad.state, bad.message) == ("failed", "frame 2: something unexpected went wrong (IndexError)")
    assert good.state == "done"


@pytest.mark.django_db(transaction=True)
def test_a_lone_worker_tries_again_by_itself(monkeypatch):
    asked = job(last=0)
    render, tries = work.render_scene, []

    def failing_once(*args, **more):
        tries.append(1)
        if len(tries) == 1:
            raise MemoryError
        return render(*args, **more)

    monkeypatch.setattr(work, "render_scene", failing_once)
    monkeypatch.setattr(services, "OTHERS_FIRST", timedelta(seconds=-1))
    finish()
    asked.refresh_from_db()
    assert asked.state == "done"
    assert len(tries) == 2


def test_a_frame_that_ends_its_workers_does_not_do_so_for_ever():
    asked = job(last=0)
    gone = subprocess.Popen(["true"])
    gone.wait()
    for _ in range(services.DEATHS):
        assert services.claim_frame(f"{socket.gethostname()}:{gone.pid}").job == asked
    assert services.claim_frame("next") is None
    asked.refresh_from_db()
    assert asked.state == "failed"
    assert "the worker ended 4 times" in asked.message
    other = job(last=0)
    assert services.claim_frame("next").job == other


@pytest.mark.parametrize("end", [services.finish_job, lambda job: services.fail_job(job, "no")])
def test_a_cancelled_job_stays_cancelled(end):
    asked = job()
    services.cancel_job(asked)
    end(asked)
    asked.refresh_from_db()
    assert (asked.state, asked.message) == ("cancelled", "")


@pytest.mark.django_db(transaction=True)
def test_a_worker_that_is_told_to_stop_gives_its_frame_back(monkeypatch):
    asked = job(last=0)
    worker = Worker()

    def long(*args, is_cancelled, **more):
        worker.stopping.set()
        while not is_cancelled():
            time.sleep(0.01)
        raise Cancelled

    monkeypatch.setattr(work, "render_scene", long)
    worker.work_once()
    row = RenderFrame.objects.get(job=asked)
    assert (row.state, row.failures, row.deaths) == ("waiting", 0, 0)


@pytest.mark.django_db(transaction=True)
def test_a_worker_ends_when_what_started_it_is_killed(tmp_path):
    around = {**os.environ, "PIROUETTE_DATA": str(tmp_path)}
    subprocess.run([sys.executable, "manage.py", "migrate", "-v0"], cwd=ROOT, env=around, check=True)
    program = (
        "import subprocess, sys\n"
        "from studio.work import around_started\n"
        "child = subprocess.Popen([sys.executable, 'manage.py', 'render_worker'], env=around_started())\n"
        "print(child.pid, flush=True)\n"
        "child.wait()\n"
    )
    parent = subprocess.Popen([sys.executable, "-c", program], cwd=ROOT, env=around, stdout=subprocess.PIPE, text=True)
    worker = int(parent.stdout.readline())
    time.sleep(4)
    assert services._is_dead(f"{socket.gethostname()}:{worker}") is False
    parent.send_signal(signal.SIGKILL)
    parent.wait()
    deadline = time.monotonic() + 30
    while not services._is_dead(f"{socket.gethostname()}:{worker}") and time.monotonic() < deadline:
        time.sleep(0.1)
    assert services._is_dead(f"{socket.gethostname()}:{worker}")


@pytest.mark.django_db(transaction=True)
def test_a_killed_worker_loses_no_frame(settings, tmp_path):
    scene = create_scene(document(figure(step("sphere"), step("grid", columns=12, rows=8))))
    asked = services.create_job(scene, **{**ASK, "last": 11, "width": 640, "height": 360, "samples": 8})
    database = str(connections["default"].settings_dict["NAME"])
    program = (
        "import os, django\n"
        "from django.conf import settings\n"
        "django.setup()\n"
        f"settings.DATABASES['default']['NAME'] = {database!r}\n"
        "from django.db import connections\n"
        f"connections['default'].settings_dict['NAME'] = {database!r}\n"
        "from studio.renders.work import Worker\n"
        "Worker().run()\n"
    )
    environment = {**os.environ, "DJANGO_SETTINGS_MODULE": "studio.settings", "PIROUETTE_DATA": str(tmp_path)}

    def start():
        return subprocess.Popen([sys.executable, "-c", program], cwd=ROOT, env=environment)

    def done():
        return RenderFrame.objects.filter(job=asked, state="done").count()

    worker = start()
    deadline = time.monotonic() + 60
    while done() < 2 and time.monotonic() < deadline:
        time.sleep(0.02)
    worker.send_signal(signal.SIGKILL)
    worker.wait()
    kept = done()
    stamps = {path.name: path.stat().st_mtime_ns for path in services.folder(asked).glob("frame_*.png")}
    assert 2 <= kept < 12
    worker = start()
    while time.monotonic() < deadline:
        asked.refresh_from_db()
        if asked.state == "done":
            break
        time.sleep(0.05)
    worker.send_signal(signal.SIGKILL)
    worker.wait()
    assert asked.state == "done"
    assert done() == 12
    finished = sorted(stamps)[:kept]
    for name in finished:
        assert (services.folder(asked) / name).stat().st_mtime_ns == stamps[name]
