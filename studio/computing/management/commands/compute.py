"""Runs one process that computes of scenes, for the server that started it."""

import gc
import os
import signal
import threading

from django.conf import settings
from django.core.management.base import BaseCommand

from studio.computing.processes import serve_tasks
from studio.work import hold_memory, when_parent_ends


class Command(BaseCommand):
    help = "Do tasks that come on a socket, until the server has gone."

    def add_arguments(self, parser):
        parser.add_argument("address")

    def handle(self, *args, address, **options):
        hold_memory(settings.MEMORY_GB)
        # As on the command line: there are hardly any circles of things to look for between two pictures.
        gc.set_threshold(100_000)
        # Ctrl-C is for the server, which ends this.
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        threading.Thread(target=when_parent_ends, args=(lambda: os._exit(0),), daemon=True).start()
        serve_tasks(address)
