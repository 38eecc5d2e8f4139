"""Runs the server and its render workers together; ends them together."""

import signal
import subprocess
import sys
import threading

import uvicorn
from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand

from studio.computing.office import use
from studio.computing.processes import Processes
from studio.patience import PatientProtocol
from studio.work import around_started, hold_memory

RESTART_SECONDS = 1.0


class Command(BaseCommand):
    help = "Serve the studio on this machine, with render workers beside it."

    def add_arguments(self, parser):
        parser.add_argument("--port", type=int, default=8000)
        parser.add_argument("--workers", type=int, default=1)
        parser.add_argument("--computing", type=int, default=2, help="processes that compute what pages show")

    def handle(self, *args, port, workers, computing, **options):
        hold_memory(settings.MEMORY_GB)
        call_command("tidy")
        processes = Processes(computing)
        use(processes)
        stopping = threading.Event()
        keepers = [threading.Thread(target=self._keep, args=(stopping,)) for _ in range(workers)]
        for keeper in keepers:
            keeper.start()
        # The server hands a signal on when it has shut down; by default that would end this process on the spot.
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        self.stdout.write(f"Pirouette is at http://127.0.0.1:{port}  (Ctrl-C ends it)")
        try:
            uvicorn.run(
                "studio.asgi:application",
                http=PatientProtocol,
                host="127.0.0.1",
                port=port,
                log_level="warning",
                lifespan="off",
                # There are none here; who asks for one gets the answer of a plain request.
                ws="none",
                timeout_graceful_shutdown=2,
            )
        finally:
            stopping.set()
            processes.close()
            for keeper in keepers:
                keeper.join()

    def _keep(self, stopping):
        """Keep one worker process running; one that dies is started again."""
        while not stopping.is_set():
            process = subprocess.Popen([sys.executable, "manage.py", "render_worker"], env=around_started())
            while process.poll() is None and not stopping.wait(0.2):
                pass
            if process.poll() is None:
                process.terminate()
                try:
                    process.wait(5)
                except subprocess.TimeoutExpired:
                    process.kill()
                    process.wait()
            stopping.wait(RESTART_SECONDS)
