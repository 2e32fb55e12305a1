"""Settings, all from the environment (docs/operations.md lists them). Nothing secret has a default."""

import os
from pathlib import Path

from convoy_site.files_settings import read_files
from convoy_site.mail_settings import read_mail

ROOT = Path(__file__).resolve().parents[2]
DATA = Path(os.environ.get("CONVOY_DATA", ROOT / "var" / "site"))
WEB_DIST = ROOT / "web" / "dist"
AGENT_FILES = WEB_DIST / "agent"
"""Holds the agent as one file for pip and pipx; what lies below WEB_DIST is handed out as it is."""

SECRET_KEY = os.environ["CONVOY_SECRET"]
DEBUG = False
DEMO = os.environ.get("CONVOY_DEMO") == "1"
ADDRESS = os.environ.get("CONVOY_ADDRESS", "http://127.0.0.1:8460")
DEMO_LETTERS = os.environ.get("CONVOY_LETTERS", "")
"""Where the demo's stand-in for other services is."""
DEMO_SOURCES_ADDRESS = os.environ.get("CONVOY_SOURCES", "http://127.0.0.1:8470")

PRIVATE_CALLS = [one for one in os.environ.get("CONVOY_PRIVATE_CALLS", "").split(",") if one]
"""Networks (CIDR) that packs' hooks may call although they are not of the open network."""
PRIVATE_SOURCES = [one for one in os.environ.get("CONVOY_PRIVATE_SOURCES", "").split(",") if one]
"""Networks (CIDR) within which sources may lie although they are not of the open network."""

BENCH = os.environ.get("CONVOY_BENCH", "")
"""Which games may be started for trials, and how: a file that the keeper writes. Without it nothing is."""

ALLOWED_HOSTS = os.environ.get("CONVOY_HOSTS", "127.0.0.1,localhost").split(",")
# Further origins that may send forms: the reloading front end of `./run dev` calls from a port of its own.
CSRF_TRUSTED_ORIGINS = [ADDRESS, *filter(None, os.environ.get("CONVOY_ORIGINS", "").split(","))]
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = ADDRESS.startswith("https://")
SECURE_CONTENT_TYPE_NOSNIFF = True
X_FRAME_OPTIONS = "DENY"

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.postgres",
    "allauth",
    "allauth.account",
    "allauth.headless",
    "allauth.mfa",
    "allauth.usersessions",
    "procrastinate.contrib.django",
    "convoy_site",
    "convoy_site.people",
    "convoy_site.catalogue",
    "convoy_site.packs",
    "convoy_site.releases",
    "convoy_site.installations",
    "convoy_site.trials",
    "convoy_site.notices",
    "convoy_site.public",
    "convoy_site.keeping",
]
MIDDLEWARE = [
    "convoy_site.word.Word",
    "convoy_site.logs.RequestNamed",
    "convoy_site.keeping.metrics.Counted",
    "convoy_site.clean.Clean",
    "django.middleware.security.SecurityMiddleware",
    "convoy_site.web.ContentPolicy",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "convoy_site.uploads.Uploads",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "allauth.account.middleware.AccountMiddleware",
]
ROOT_URLCONF = "convoy_site.urls"
WSGI_APPLICATION = "convoy_site.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [Path(__file__).with_name("templates")],
        "APP_DIRS": True,
        "OPTIONS": {"context_processors": ["django.template.context_processors.request"]},
    }
]

POOL = int(os.environ.get("CONVOY_DB_POOL", "0"))
"""Connections to the database that one process of the site holds at most; 0: one per thread, for commands and tests."""

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "HOST": os.environ.get("CONVOY_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("CONVOY_DB_PORT", "8480"),
        "NAME": os.environ.get("CONVOY_DB_NAME", "convoy"),
        "USER": os.environ.get("CONVOY_DB_USER", "convoy"),
        "PASSWORD": os.environ.get("CONVOY_DB_PASSWORD", ""),
        # Connections are shared by a process's threads, looked at before they are used (a database that was started
        # anew has cut them), and waited for where all are in use: too many at once take turns, and none is refused.
        "CONN_MAX_AGE": 0,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {
            # How alike a word and a name must be to count as found: 0.6 by default, which forgives hardly any slip. The
            # second is for several words together: half of them is no slip but another name.
            "options": "-c pg_trgm.word_similarity_threshold=0.45 -c pg_trgm.strict_word_similarity_threshold=0.58"
            " -c statement_timeout=60000",
            "connect_timeout": 5,
            **({"pool": {"min_size": 1, "max_size": POOL, "timeout": 20, "max_idle": 60}} if POOL else {}),
        },
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
CACHES = {"default": {"BACKEND": "django.core.cache.backends.db.DatabaseCache", "LOCATION": "cache"}}
# Sessions and the counters of tries are shared by all site processes, so they lie in the database.

PROCRASTINATE_IMPORT_PATHS = ["convoy_site.upkeep", "convoy_site.keeping.mail"]

AUTH_USER_MODEL = "people.User"
AUTHENTICATION_BACKENDS = ["allauth.account.auth_backends.AuthenticationBackend"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator"},
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {"NAME": "convoy_site.people.passwords.NotPlain"},
]
MAIL = read_mail(os.environ.get("CONVOY_MAIL", ""))
"""Where mail goes; None: this site sends none."""
DEFAULT_FROM_EMAIL = SERVER_EMAIL = os.environ.get("CONVOY_MAIL_FROM", "True Convoy <convoy@localhost>")
EMAIL_BACKEND = "convoy_site.keeping.mail.Queue" if MAIL else "django.core.mail.backends.dummy.EmailBackend"

ACCOUNT_LOGIN_METHODS = {"username", "email"}
ACCOUNT_SIGNUP_FIELDS = ["username*", "email*" if MAIL else "email", "password1*"]
ACCOUNT_SIGNUP_FORM_CLASS = "convoy_site.keeping.signing_up.InvitedForm"
# An address is asked to be confirmed, and nobody is kept out until then: a member wants to play tonight.
ACCOUNT_EMAIL_VERIFICATION = "optional" if MAIL else "none"
ACCOUNT_EMAIL_SUBJECT_PREFIX = ""
ACCOUNT_EMAIL_NOTIFICATIONS = MAIL is not None
ACCOUNT_ADAPTER = "convoy_site.keeping.signing_up.Accounts"
# Wrong passwords are counted by `Accounts.authenticate`; this bounds the rest, with room for a crew behind one proxy.
ACCOUNT_RATE_LIMITS = {"login": "120/m/ip"}
ACCOUNT_MAX_EMAIL_ADDRESSES = 3
ACCOUNT_USERNAME_MIN_LENGTH = 2
ACCOUNT_USERNAME_BLACKLIST = ["admin", "keeper", "root", "convoy", "nobody"]
ALLAUTH_TRUSTED_PROXY_COUNT = int(os.environ.get("CONVOY_PROXIES", "0"))
"""How many machines stand before the site and say who asks: tries are counted by that address."""
MFA_SUPPORTED_TYPES = ["totp", "webauthn", "recovery_codes"]
MFA_PASSKEY_LOGIN_ENABLED = True
# An address is no condition for an account here, so that an unconfirmed one is none for a second factor.
MFA_ALLOW_UNVERIFIED_EMAIL = True
MFA_TOTP_ISSUER = "True Convoy"
MFA_WEBAUTHN_ALLOW_INSECURE_ORIGIN = ADDRESS.startswith("http://")
HEADLESS_ONLY = True
HEADLESS_CLIENTS = ("browser",)
HEADLESS_FRONTEND_URLS = {
    "account_confirm_email": f"{ADDRESS}/account/address/{{key}}",
    "account_reset_password": f"{ADDRESS}/password",
    "account_reset_password_from_key": f"{ADDRESS}/password/{{key}}",
    "account_signup": f"{ADDRESS}/sign-in?new=1",
}

USE_TZ = True
TIME_ZONE = "UTC"
USE_I18N = False

STATIC_URL = "/static/"
WHITENOISE_ROOT = WEB_DIST if WEB_DIST.exists() else None
WHITENOISE_INDEX_FILE = False


def _never_changes(path: str, url: str) -> bool:
    """Built files carry a hash of their content in their names."""
    return url.startswith("/assets/")


WHITENOISE_IMMUTABLE_FILE_TEST = _never_changes

DATA_UPLOAD_MAX_MEMORY_SIZE = 4 * 1024 * 1024
"""Bytes. The largest honest request is an agent's report naming some ten thousand paths."""

SIGNING_KEY = os.environ.get("CONVOY_SIGNING_KEY", "")
"""File of the key that signs releases, where it is not the one in CONVOY_DATA. All machines of a site have the same."""

MEDIA_ROOT = DATA / "files"
"""What is kept as files: archives of crews' own builds, and pictures that were fetched once. Never served as such."""

STORAGES = {
    # On this machine's disk, or in an S3-compatible store where `CONVOY_FILES` names one.
    "default": read_files(os.environ.get("CONVOY_FILES", ""))
    or {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
FILES_DIRECT = os.environ.get("CONVOY_FILES_DIRECT") == "1"
"""Whether members fetch kept files from the store itself, by an address that is signed and soon runs out."""

STANDIN_MACHINES = DATA / "machines"
STANDIN_GAMES = os.environ.get("CONVOY_STANDIN_GAMES", "")
"""Folders that stand for members' machines in the demo; the worker runs the agent only in there."""

WORD_ADDRESS = os.environ.get("CONVOY_WORD", f"{ADDRESS}/statements").rstrip("/")
"""Where agents that watch ask for what is new: this site, or whatever hands out its `/statements/` in its stead."""

METRICS_TOKEN = os.environ.get("CONVOY_METRICS_TOKEN", "")
"""What whoever asks for `/metrics` has to show; without one there are none."""

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {
        "lines": {"()": "convoy_site.logs.Lines"},
        "plain": {"format": "%(asctime)s %(levelname)s %(name)s: %(message)s"},
    },
    "handlers": {
        "console": {
            "class": "logging.StreamHandler",
            "formatter": "lines" if os.environ.get("CONVOY_LOG") == "json" else "plain",
        }
    },
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {"convoy_site": {"level": "INFO"}},
}
