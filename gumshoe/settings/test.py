"""Settings for the tests: quick hashing, a database file (threads share it), stand-ins on."""

from gumshoe.settings.base import *  # noqa: F403
from gumshoe.settings.base import DATA_DIR, DATABASE, DATABASES

LINK_GRACE_S = 0.2  # the stand-in, the server and the browser share two cores here

DATABASES["default"]["TEST"] = {"MIGRATE": False} | ({} if DATABASE else {"NAME": DATA_DIR / "test.sqlite3"})
"""Tables straight from the models: that the migrations lead to them is checked by itself, and by what serves."""
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
TEST_RUNNER = "tests.runner.Runner"
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "root": {"handlers": [], "level": "CRITICAL"},
    "loggers": {name: {"level": "CRITICAL"} for name in ("django", "axes", "isotp")},
}
