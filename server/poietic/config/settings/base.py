"""Every default; `test` overrides a few. The environment is read only here."""

import os
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[4]


def required(name: str) -> str:
    """Return a setting that the start needs, or stop with the way out."""
    if name not in os.environ:
        sys.exit(f"{name} is not set. Start the application with ./poietic start, which sets it.")
    return os.environ[name]


SECRET_KEY = required("POIETIC_SECRET_KEY")
DEBUG = False
ALLOWED_HOSTS = ["127.0.0.1", "localhost", *os.environ.get("POIETIC_HOSTS", "").split()]
CSRF_TRUSTED_ORIGINS = os.environ.get("POIETIC_ORIGINS", "").split()

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.postgres",
    "ninja",
    "procrastinate.contrib.django",
    "poietic.commanding",
    "poietic.works",
    "poietic.people",
    "poietic.catalog",
    "poietic.ledger",
    "poietic.engineering",
    "poietic.costing",
    "poietic.stores",
    "poietic.orders",
    "poietic.papers",
    "poietic.picking",
    "poietic.buying",
    "poietic.selling",
    "poietic.planning",
    "poietic.settling",
    "poietic.exchange",
    "poietic.demo",
]
MIDDLEWARE = [
    "poietic.web_api.edge.Edge",
    "django.middleware.security.SecurityMiddleware",
    "poietic.web_api.static_files.StaticFiles",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "poietic.people.sessions.SessionLimits",
    "poietic.works.day.WorksDay",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]
ROOT_URLCONF = "poietic.config.urls"
ASGI_APPLICATION = "poietic.config.asgi.application"
AUTH_USER_MODEL = "people.Person"
AUTHENTICATION_BACKENDS = ["poietic.people.known.Known"]
_VALIDATION = "django.contrib.auth.password_validation"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"{_VALIDATION}.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": f"{_VALIDATION}.CommonPasswordValidator"},
    {
        "NAME": f"{_VALIDATION}.UserAttributeSimilarityValidator",
        "OPTIONS": {"user_attributes": ("name", "full_name")},
    },
    {"NAME": "poietic.people.passwords.VariedValidator"},
]
PASSWORD_HASHERS = [
    "django.contrib.auth.hashers.Argon2PasswordHasher",
    "django.contrib.auth.hashers.PBKDF2PasswordHasher",  # of passwords from before
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "HOST": "127.0.0.1",
        "PORT": required("POIETIC_DB_PORT"),
        "NAME": os.environ.get("POIETIC_DB_NAME", "poietic"),
        "USER": required("POIETIC_DB_USER"),
        "PASSWORD": required("POIETIC_DB_PASSWORD"),
        "CONN_HEALTH_CHECKS": True,
        # a server that comes back is found within seconds, however long it was away
        "OPTIONS": {
            "pool": {"min_size": 1, "max_size": 12, "timeout": 5, "reconnect_timeout": 3},
            "prepare_threshold": 2,
        },
    }
}
#: the role that serves: it may not UPDATE, DELETE or TRUNCATE what is append-only
APPLICATION_ROLE = "poietic_app"

LANGUAGE_CODE = "en"
TIME_ZONE = "UTC"
USE_TZ = True
USE_I18N = False

#: drawings and pictures
MEDIA_ROOT = Path(os.environ.get("POIETIC_VAR") or ROOT / "var") / "files"
#: a file of tables is checked before it is unpacked; what is larger is refused
DATA_UPLOAD_MAX_MEMORY_SIZE = 20_000_000
STATIC_URL = "/static/"
WEB_BUILD = ROOT / "web" / "dist"
WHITENOISE_ROOT = WEB_BUILD
#: built files carry a checksum in their names
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/"
#: behind TLS: cookies go over https only, and browsers are told to use nothing else
HTTPS = os.environ.get("POIETIC_HTTPS") == "1"
#: addresses of proxies before the application, whose word on where a request comes from counts
PROXIES = os.environ.get("POIETIC_PROXIES", "").split()
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if HTTPS and PROXIES else None
SECURE_HSTS_SECONDS = 31_536_000 if HTTPS else 0
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = HTTPS
SESSION_COOKIE_HTTPONLY = CSRF_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = CSRF_COOKIE_SAMESITE = "Lax"
#: a session ends so long after it began, or was last used
SESSION_ENGINE = "poietic.people.known"
SESSION_HOURS, SESSION_IDLE_MINUTES = 12, 120
SESSION_COOKIE_AGE = SESSION_HOURS * 3600
X_FRAME_OPTIONS = "DENY"
CONTENT_SECURITY_POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; "
    "img-src 'self' data: blob:; object-src 'none'; base-uri 'none'; form-action 'self'; "
    "frame-ancestors 'none'"
)
SIGN_IN_ATTEMPTS = 5
SIGN_IN_PAUSE_SECONDS = 300
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "loggers": {
        "django": {"handlers": ["console"], "level": "WARNING"},
        "django.request": {"level": "ERROR"},  # refusals are answers
        "django.security": {"level": "ERROR"},
    },
}
