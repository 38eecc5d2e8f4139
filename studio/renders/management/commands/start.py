"""Makes everything ready and serves it, in one process: each one more would load the kernels again."""

from django.core.management import call_command
from django.core.management.base import BaseCommand

from .serve import Command as Serve


class Command(BaseCommand):
    help = "Bring the database up to date, store the demo, compile what is not compiled yet, and serve the studio."

    def add_arguments(self, parser):
        Serve().add_arguments(parser)
        parser.add_argument(
            "--undrawn", action="store_true", help="compile and draw nothing beforehand: pages wait for what they show"
        )

    def handle(self, *args, port, workers, computing, undrawn, **options):
        call_command("migrate", verbosity=0)
        call_command("load_demo", stdout=self.stdout)
        call_command("load_phrases", stdout=self.stdout)
        if not undrawn:
            call_command("warm")
        call_command("serve", port=port, workers=workers, computing=computing, stdout=self.stdout)
