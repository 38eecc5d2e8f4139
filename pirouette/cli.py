"""The command line: render, check, seam, kinds, formats, evaluate, warm."""

import argparse
import gc
import json
import os
import re
import sys
from pathlib import Path

from .data import Problem, ProblemError

EXIT_PROBLEM = 2


def main(arguments=None) -> int:
    """Run one command; returns the exit status: 0, or 2 when the scene or the arguments are wrong."""
    # What is read at the start stays: there are hardly any circles of things to look for meanwhile.
    gc.set_threshold(100_000)
    options = _parser().parse_args(arguments)
    if getattr(options, "threads", None):
        os.environ["PIROUETTE_THREADS"] = str(options.threads)
    try:
        return options.command(options) or 0
    except ProblemError as error:
        print(error, file=sys.stderr)
        return EXIT_PROBLEM
    except BrokenPipeError:
        return 0


def _parser():
    parser = argparse.ArgumentParser(prog="pirouette", description="Evaluates and renders Pirouette scenes.")
    commands = parser.add_subparsers(required=True, metavar="command")

    def add(name, command, help_text):
        sub = commands.add_parser(name, help=help_text, description=help_text)
        sub.set_defaults(command=command)
        return sub

    render = add("render", _render, "Render frames to a movie, pictures, or a folder or zip of pictures.")
    render.add_argument("scene", type=Path)
    render.add_argument("--frames", type=frame_range, help="such as 12, 0-95 or 0-95x2; default all")
    render.add_argument("--size", type=picture_size, help="such as 1280x720; default the scene's")
    render.add_argument("--samples", type=sample_count, default=8, help="1 to 64 for each pixel; default 8")
    render.add_argument("--bits", type=int, choices=(8, 16), default=8, help="for each channel of a PNG; default 8")
    render.add_argument("--format", help="the id of a format, see `formats`; default by the ending of --out")
    render.add_argument("--option", type=format_option, action="append", help="of the format, such as quality=small")
    render.add_argument("--threads", type=int, help="default all processors")
    render.add_argument(
        "--out",
        type=Path,
        required=True,
        help="a file, its ending says which format; .zip or a folder for many pictures",
    )

    for name, command, text in (
        ("check", _check, "Say what is wrong or without effect in scenes."),
        ("seam", _seam, "Say whether the loop closes and what keeps it open."),
    ):
        sub = add(name, command, text)
        sub.add_argument("scene", type=Path)
        sub.add_argument("--json", action="store_true", help="print JSON")
        if name == "seam":
            sub.add_argument("--pictures", action="store_true", help="also compare the rendered frames at the seam")
    kinds = add("kinds", _kinds, "List all kinds with their settings.")
    kinds.add_argument("--json", action="store_true", help="print JSON")
    kinds.add_argument("--markdown", action="store_true", help="print the pages of docs/kinds.md")
    kinds.add_argument("--pictures", type=Path, metavar="FOLDER", help="write a picture of each kind, for that page")
    kinds.add_argument("--strips", type=Path, metavar="FOLDER", help="write moving pictures of each, for the finder")
    kinds.add_argument("--assets", type=Path, metavar="FOLDER", default=".", help="where the files are that they show")
    formats = add("formats", _formats, "List all formats of files with their options.")
    formats.add_argument("--json", action="store_true", help="print JSON")
    evaluate = add("evaluate", _evaluate, "Evaluate one frame and write its geometry.")
    evaluate.add_argument("scene", type=Path)
    evaluate.add_argument("--frame", type=float, default=0.0)
    evaluate.add_argument("--out", type=Path, required=True, help="an .obj file")
    add("warm", _warm, "Compile all kernels for this machine beforehand.")
    return parser


def frame_range(text: str) -> range:
    """Read "12", "0-95" or "0-95x2"; raises ArgumentTypeError."""
    match = re.fullmatch(r"(\d+)(?:-(\d+))?(?:x([1-9]\d*))?", text)
    frames = range(0)
    if match:
        first, last, step = match.groups()
        frames = range(int(first), int(last or first) + 1, int(step or 1))
    if not frames:
        raise argparse.ArgumentTypeError(f"{text!r} is not a range of frames; allowed 12, 0-95 or 0-95x2")
    return frames


def picture_size(text: str) -> tuple[int, int]:
    """Read "1280x720"; raises ArgumentTypeError."""
    parts = text.lower().split("x")
    if len(parts) == 2 and all(part.isdigit() and 1 <= int(part) <= 8192 for part in parts):
        return int(parts[0]), int(parts[1])
    raise argparse.ArgumentTypeError(f"{text!r} is not a size; allowed such as 1280x720, up to 8192 each way")


def sample_count(text: str) -> int:
    if text.isdigit() and 1 <= int(text) <= 64:
        return int(text)
    raise argparse.ArgumentTypeError(f"{text!r} is not a number of samples; allowed 1 to 64")


def format_option(text: str) -> tuple[str, object]:
    """Read "quality=small" or "layers=depth,normal"; raises ArgumentTypeError."""
    name, mark, value = text.partition("=")
    if not mark:
        raise argparse.ArgumentTypeError(f"{text!r} is not an option; allowed name=value")
    words = {"true": True, "false": False}
    return name, words.get(value, value.split(",") if name == "layers" else value)


def _render(options):
    from tqdm import tqdm

    from .document import load_scene
    from .evaluate import Memo
    from .formats.stored import taken
    from .formats.table import options_of
    from .render import render_scene
    from .warm import is_cold

    if is_cold():
        print("Compiling the renderer for this machine, once: about five minutes …", file=sys.stderr)
    format_ = _format(options)
    chosen = options_of(format_, dict(options.option or ()), "--option")
    scene = load_scene(options.scene)
    frames = options.frames or (range(1) if not format_.is_movie and options.out.suffix == format_.suffix else None)
    frames = frames or range(scene.frame_count)
    fps = scene.first_moment.fps
    memo = Memo()

    def rendered():
        for frame in tqdm(frames, unit="frame", disable=None):
            rendered_frame = render_scene(
                scene, frame, options.size, options.samples, memo=memo, layers=format_.layers(chosen)
            )
            yield frame, taken(format_, rendered_frame)

    options.out.parent.mkdir(parents=True, exist_ok=True)
    if format_.is_movie:
        format_.write(options.out, (picture for _, picture in rendered()), fps, chosen)
    elif options.out.suffix == ".zip":
        _zipped(options.out, format_, rendered(), fps, chosen)
    else:
        for frame, picture in rendered():
            format_.write(_still_path(options.out, format_, frame, len(frames)), [picture], fps, chosen)


def _format(options):
    """The format that is asked for, by its id or by the ending of the file."""
    from .formats.table import FORMATS, format_of

    if options.format:
        return format_of(options.format, "--format")
    suffix = options.out.suffix.lower()
    pictures = [known for known in FORMATS if known.is_pictures]
    if suffix in ("", ".zip"):
        return format_of("png16" if options.bits == 16 else "png")
    format_ = next((known for known in pictures if known.suffix == suffix), None)
    if format_ is None:
        allowed = ", ".join(dict.fromkeys(known.suffix for known in pictures))
        raise ProblemError(
            Problem("--out", f"{suffix!r} is unknown; allowed {allowed}, .zip or a folder", "format.unknown")
        )
    return format_of("png16") if format_.id == "png" and options.bits == 16 else format_


def _still_path(out, format_, frame, count):
    if out.suffix == "":
        out.mkdir(parents=True, exist_ok=True)
        return out / f"frame_{frame:04d}{format_.suffix}"
    return out if count == 1 else out.with_stem(f"{out.stem}_{frame:04d}")


def _zipped(path, format_, frames, fps, chosen):
    import tempfile
    import zipfile

    from .formats.whole import whole

    with tempfile.TemporaryDirectory() as folder, whole(path) as draft, zipfile.ZipFile(draft, "w") as archive:
        for frame, picture in frames:
            file = Path(folder) / f"frame_{frame:04d}{format_.suffix}"
            format_.write(file, [picture], fps, chosen)
            archive.write(file, file.name)
            file.unlink()


def _check(options):
    from .checks import notes_of
    from .document import load_scene
    from .evaluate import Memo, evaluate

    scene = load_scene(options.scene)
    memo = Memo()
    problems = []
    for frame in sorted({0, scene.frame_count // 2, scene.frame_count - 1}):
        try:
            evaluate(scene, frame, memo=memo)
        except ProblemError as error:
            problems.extend(problem for problem in error.problems if problem not in problems)
    if problems:
        raise ProblemError(problems)
    notes = notes_of(scene, memo=memo)
    if options.json:
        print(json.dumps({"ok": True, "notes": [note.describe() for note in notes]}, indent=1))
    else:
        for note in notes:
            print(f"{note.name} ({note.where}): {note.message} [{note.code}]")
        print(f"{options.scene.name}: nothing wrong, {len(notes)} notes")


def _seam(options):
    from .checks import measure_seam
    from .document import load_scene

    scene = load_scene(options.scene)
    seam = measure_seam(scene)
    report = seam.describe()
    wrap = None
    if options.pictures and scene.first_moment.loops:
        from .render.wrap import measure_wrap

        wrap = measure_wrap(scene)
        report["pictures"] = {"across": wrap.across, "ordinary": wrap.ordinary, "closed": wrap.is_closed}
    if options.json:
        print(json.dumps(report, indent=1))
        return
    print(f"The loop is {seam.state}.")
    for offender in seam.offenders:
        mend = f" ({offender.mend})" if offender.mend else ""
        print(f"  {offender.name}, {offender.what}: {offender.cause}{mend}")
    if wrap:
        words = "as neighbours do" if wrap.is_closed else f"{wrap.ratio:.2g} times as much as neighbours do"
        print(f"  The pictures at the seam differ {words}.")


def _kinds(options):
    from . import catalogue
    from .document import things

    if options.pictures:
        from .kind_pictures import write_pictures

        print(f"{len(write_pictures(options.pictures, options.assets))} pictures in {options.pictures}")
    elif options.strips:
        from .kind_pictures import write_strips

        print(f"{len(write_strips(options.strips, options.assets))} strips in {options.strips}")
    elif options.json:
        print(json.dumps({**catalogue.describe(), "things": things.describe()}, indent=1, ensure_ascii=False))
    elif options.markdown:
        from .docs import markdown

        print(markdown(), end="")
    else:
        for kind in catalogue.every_kind():
            print(f"{kind.group:9} {kind.id:10} {kind.summary}")


def _formats(options):
    from .formats import table

    if options.json:
        print(json.dumps(table.describe(), indent=1, ensure_ascii=False))
        return
    for format_ in table.FORMATS:
        print(f"{format_.id:8} {format_.suffix:6} {format_.words}")
        for setting in format_.options.describe():
            print(f"{'':15} {setting['name']}: {setting['help']} Default {setting['default']}.")


def _evaluate(options):
    from .document import load_scene
    from .evaluate import evaluate
    from .formats.table import FORMATS, options_of

    geometry = {format_.suffix: format_ for format_ in FORMATS if not format_.is_pictures}
    format_ = geometry.get(options.out.suffix.lower())
    if format_ is None:
        problem = f"{options.out.suffix!r} is unknown; allowed {', '.join(geometry)}"
        raise ProblemError(Problem("--out", problem, "format.unknown"))
    scene = load_scene(options.scene)
    format_.write(options.out, [evaluate(scene, options.frame)], scene.first_moment.fps, options_of(format_, None))


def _warm(options):
    from .warm import warm_all

    warm_all()


if __name__ == "__main__":
    sys.exit(main())
