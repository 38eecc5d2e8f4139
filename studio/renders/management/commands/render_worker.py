"""Runs one render worker until it is told to stop."""

import signal
import threading

from django.conf import settings
from django.core.management.base import BaseCommand

from studio.renders.work import Worker
from studio.work import hold_memory, when_parent_ends


class Command(BaseCommand):
    help = "Claim and render frames until interrupted."

    def handle(self, *args, **options):
        hold_memory(settings.MEMORY_GB)
        worker = Worker()
        for name in (signal.SIGINT, signal.SIGTERM):
            signal.signal(name, lambda *_: worker.stopping.set())
        threading.Thread(target=when_parent_ends, args=(worker.stopping.set,), daemon=True).start()
        worker.run()
