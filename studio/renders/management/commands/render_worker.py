"""Runs one render worker until it is told to stop."""

import signal

from django.core.management.base import BaseCommand

from studio.renders.work import Worker


class Command(BaseCommand):
    help = "Claim and render frames until interrupted."

    def handle(self, *args, **options):
        worker = Worker()
        for name in (signal.SIGINT, signal.SIGTERM):
            signal.signal(name, lambda *_: worker.stopping.set())
        worker.run()
