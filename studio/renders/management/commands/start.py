"""Makes everything ready and serves it, in one process: each one more would load the kernels again."""

from contextlib import ExitStack

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError

from studio.waiting import waiting

from .serve import Command as Serve


class Command(BaseCommand):
    help = "Bring the database up to date, store the demo, compile what is not compiled yet, and serve the studio."

    def add_arguments(self, parser):
        Serve().add_arguments(parser)
        parser.add_argument(
            "--undrawn", action="store_true", help="compile and draw nothing beforehand: pages wait for what they show"
        )

    def handle(self, *args, port, workers, computing, undrawn, **options):
        with ExitStack() as standing_in:
            try:
                say = standing_in.enter_context(waiting(port))
            except OSError as error:
                told = f"Port {port} cannot be served: {error.strerror}. Another one: --port 8001"
                raise CommandError(told) from None
            self._make_ready(undrawn, say)
        call_command("serve", port=port, workers=workers, computing=computing, stdout=self.stdout)

    def _make_ready(self, undrawn, say):
        call_command("migrate", verbosity=0)
        say("Storing the demo")
        call_command("load_demo", stdout=self.stdout)
        call_command("load_phrases", stdout=self.stdout)
        if not undrawn:
            say("Compiling the renderer for this machine, which takes about five minutes the first time, and drawing")
            call_command("warm")
