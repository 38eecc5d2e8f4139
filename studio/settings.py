"""Settings of the studio. Local mode: one user, on this machine only."""

import os
from hashlib import blake2b
from pathlib import Path

from django.core.management.utils import get_random_secret_key

ROOT = Path(__file__).resolve().parent.parent
DATA = Path(os.environ.get("PIROUETTE_DATA", ROOT / "var"))
DATA.mkdir(parents=True, exist_ok=True)
# What of its work a process that computes what pages show may keep: whole loops, where the machine has the memory.
_MACHINE_GB = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") / 2**30
_KEPT_GB = min(max(_MACHINE_GB / 8, 0.75), 3)
# The most that the server, each process that computes for it, and each render worker may hold in memory.
MEMORY_GB = float(os.environ.get("PIROUETTE_MEMORY_GB", _KEPT_GB + 3.25))
KEPT_GB = min(_KEPT_GB, MEMORY_GB / 2)


def _secret() -> str:
    """Return this installation's own secret, made at its first start."""
    path = DATA / "secret"
    if not path.exists():
        path.write_text(get_random_secret_key(), "utf-8")
        path.chmod(0o600)
    return path.read_text("utf-8")


SECRET_KEY = _secret()
DEBUG = False
ALLOWED_HOSTS = ["127.0.0.1", "localhost"]
ROOT_URLCONF = "studio.urls"
ASGI_APPLICATION = "studio.asgi.application"
INSTALLED_APPS = [
    "django.contrib.staticfiles",
    "csp",
    "ninja",
    "studio.assets",
    "studio.computing",
    "studio.scenes",
    "studio.phrases",
    "studio.renders",
    "studio.shelf",
]
MIDDLEWARE = [
    "studio.sites.same_site",
    "django.middleware.security.SecurityMiddleware",
    "studio.packed.PackedFiles",
    "csp.middleware.CSPMiddleware",
    "django.middleware.common.CommonMiddleware",
    "studio.head.HeadMiddleware",
    "studio.csrf.EveryViewCsrfMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [ROOT / "studio" / "templates"],
        "OPTIONS": {"context_processors": ["django.template.context_processors.request"]},
    }
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA / "studio.sqlite3",
        # A file, so that tests can share it with the processes that they start.
        "TEST": {"NAME": DATA / "test.sqlite3"},
        "OPTIONS": {
            "timeout": 20,
            # Writers queue up at the start of a transaction instead of failing in its middle.
            "transaction_mode": "IMMEDIATE",
            # FULL: what was acknowledged is on the disk, whatever happens next.
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL; PRAGMA foreign_keys=ON;",
        },
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en-gb"
DATA_UPLOAD_MAX_MEMORY_SIZE = 10 * 1024 * 1024

STATICFILES_DIRS = [ROOT / "studio" / "static"]


def version_of(folder: Path) -> str:
    """Return a name that is another one after any file below a folder was changed."""
    digest = blake2b(digest_size=6)
    for path in sorted(folder.rglob("*")):
        about = path.stat()
        digest.update(f"{path.relative_to(folder)} {about.st_size} {about.st_mtime_ns}\n".encode())
    return digest.hexdigest()


# Scripts import each other by relative addresses, so a version in front of them all stands in front of each: a browser
# keeps them for good and asks for none of the eighty again, until the server starts with others.
_version = version_of(STATICFILES_DIRS[0])
STATIC_URL = f"/static/{_version}/"
# They are served from a packed copy, see packed.py.
STATIC_ROOT = DATA / "static" / _version
WHITENOISE_USE_FINDERS = False
WHITENOISE_AUTOREFRESH = False
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/static/"
WHITENOISE_ALLOW_ALL_ORIGINS = False

SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
CSRF_COOKIE_SAMESITE = "Strict"
CSRF_FAILURE_VIEW = "studio.csrf.refused"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": ["'self'"],
        "img-src": ["'self'", "blob:", "data:"],
        "media-src": ["'self'", "blob:"],
        "style-src": ["'self'"],
        "script-src": ["'self'"],
        "connect-src": ["'self'"],
        "object-src": ["'none'"],
        "base-uri": ["'none'"],
        "frame-ancestors": ["'none'"],
        "form-action": ["'self'"],
    },
}
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
