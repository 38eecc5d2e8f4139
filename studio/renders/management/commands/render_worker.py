"""Runs one render worker until it is told to stop."""

import os
import signal
import threading

from django.conf import settings
from django.core.management.base import BaseCommand

from studio.renders.work import Worker
from studio.work import hold_memory

PARENT_CHECK_SECONDS = 1.0


class Command(BaseCommand):
    help = "Claim and render frames until interrupted."

    def handle(self, *args, **options):
        hold_memory(settings.MEMORY_GB)
        worker = Worker()
        for name in (signal.SIGINT, signal.SIGTERM):
            signal.signal(name, lambda *_: worker.stopping.set())
        threading.Thread(target=_end_with_parent, args=(worker.stopping,), daemon=True).start()
        worker.run()


def _end_with_parent(stopping):
    """Stop once the process that started this one is gone, however it ended."""
    parent = os.getppid()
    while not stopping.wait(PARENT_CHECK_SECONDS):
        if os.getppid() != parent:
            stopping.set()
