"""Django's settings. An administrator sets them in the settings file or the environment: see settings_file."""

from __future__ import annotations

import os
from pathlib import Path
from urllib.parse import urlsplit

from .data_folder import data_folder, secret_key
from .settings_file import value_of, values_of

DATA = data_folder()
LOGS = DATA / "logs"
OUTPUTS = DATA / "outputs"
SECRETS_KEY = DATA / "secrets-key"
"""The key of the pipelines' secrets: a backup of the database alone does not give them away."""
_BUNDLED = Path(__file__).resolve().parent / "bundled"
"""In an installed server: the web part and the packages for hosts. A checkout has them where it builds them."""
_CHECKOUT = Path(__file__).resolve().parents[2]
WEB = Path(os.environ.get("PADDOCK_WEB") or (_BUNDLED / "web" if _BUNDLED.is_dir() else _CHECKOUT / "web" / "dist"))
WHEELS = Path(
    os.environ.get("PADDOCK_WHEELS") or (_BUNDLED / "wheels" if _BUNDLED.is_dir() else _CHECKOUT / ".make" / "wheels")
)
"""Where the packages were gathered that hosts install."""

PUBLIC_URL = value_of("url").rstrip("/")
"""Where people reach this server, for links in messages; "" where it is not set."""
SUB_PATH = urlsplit(PUBLIC_URL).path
"""Where the server's addresses begin behind its name: "" or a path such as "/builds"."""

SECRET_KEY = secret_key(DATA)
DEBUG = False
ALLOWED_HOSTS = ["localhost", "127.0.0.1", "[::1]", *values_of("hosts")]
if PUBLIC_URL:
    ALLOWED_HOSTS.append(urlsplit(PUBLIC_URL).hostname or "")

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.staticfiles",
    "channels",
    "rest_framework",
    "drf_spectacular",
    "drf_spectacular_sidecar",
    "paddock_server.people",
    "paddock_server.hosts",
    "paddock_server.toolchains",
    "paddock_server.health",
    "paddock_server.notifications",
    "paddock_server.pipeline_secrets",
    "paddock_server.work",
    "paddock_server.runs",
    "paddock_server.chores",
    "paddock_server.planning",
    "paddock_server.rollout",
    "paddock_server.standby",
    "paddock_server.maintenance",
    "paddock_server.bring_up",
    "paddock_server.logbook",
    "paddock_server.time_line",
    "paddock_server.housekeeping",
    "paddock_server.link",
]

MIDDLEWARE = [
    "paddock_server.rest.compression.Compression",
    "django.middleware.http.ConditionalGetMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "paddock_server.people.last_seen.LastSeen",
    "paddock_server.web.SaidTrouble",
]

PROXIES = values_of("proxies")
"""Addresses of reverse proxies whose forwarded headers are trusted. No others are."""

ROOT_URLCONF = "paddock_server.urls"
ASGI_APPLICATION = "paddock_server.asgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [Path(__file__).parent / "api" / "templates"],
        "APP_DIRS": True,
    }
]

DATABASES = {
    "default": {
        "ENGINE": "paddock_server.pooled_sqlite",
        "NAME": DATA / "paddock.sqlite3",
        "OPTIONS": {
            # Set at the start of a transaction: no deadlock when a command beside the server begins to write.
            "transaction_mode": "IMMEDIATE",
            "timeout": 20,
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL; PRAGMA foreign_keys=ON;",
        },
        "TEST": {"NAME": DATA / "test.sqlite3"},
    }
}
CACHES = {"default": {"BACKEND": "django.core.cache.backends.locmem.LocMemCache"}}
CHANNEL_LAYERS = {"default": {"BACKEND": "channels.layers.InMemoryChannelLayer"}}

AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {
        "NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator",
        "OPTIONS": {"user_attributes": ("username",), "max_similarity": 0.7},
    },
]
SESSION_ENGINE = "paddock_server.people.sessions"
SESSION_IDLE_SECONDS = float(value_of("session_idle_hours")) * 3600
"""A session ends when nothing was asked in it for so long."""
SESSION_AGE_SECONDS = float(value_of("session_days")) * 86400
"""A session ends so long after the log-in."""
SIGN_ON_SESSION_AGE_SECONDS = min(SESSION_AGE_SECONDS, 12 * 3600.0)
"""The same for people who signed on with a provider, whose groups are read at the sign-on alone."""
SIGN_ON_TIMEOUT_SECONDS = 10.0
SESSION_COOKIE_AGE = int(SESSION_AGE_SECONDS)
SESSION_COOKIE_NAME = "paddock_session"
SESSION_COOKIE_SAMESITE = "Strict"
SESSION_COOKIE_PATH = CSRF_COOKIE_PATH = SUB_PATH or "/"
CSRF_COOKIE_NAME = "paddock_csrf"
CSRF_COOKIE_SAMESITE = "Strict"
CSRF_FAILURE_VIEW = "paddock_server.rest.problems.csrf_failure"

USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en"
USE_I18N = False

STATIC_URL = f"{SUB_PATH}/static/"
WHITENOISE_STATIC_PREFIX = "/static/"
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/static/assets/.+-[\w-]{8}\.\w+$"
"""The names of these have a hash of what is in them."""
STATICFILES_DIRS = [WEB] if WEB.is_dir() else []
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = False

APPEND_SLASH = False
DATA_UPLOAD_MAX_MEMORY_SIZE = 2 * 1024 * 1024

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": [
        "paddock_server.people.authentication.BearerAuthentication",
        "rest_framework.authentication.SessionAuthentication",
    ],
    "DEFAULT_PERMISSION_CLASSES": ["rest_framework.permissions.IsAuthenticated"],
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_PARSER_CLASSES": ["paddock_server.api.parsing.BoundedJson"],
    "DEFAULT_PAGINATION_CLASS": "paddock_server.rest.paging.Pages",
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "DEFAULT_THROTTLE_RATES": {"join": "600/min", "report": "3000/min", "hook": "300/min"},
    "NUM_PROXIES": 0,  # whose word on the client counts is settled before: see PROXIES
    "EXCEPTION_HANDLER": "paddock_server.rest.problems.handle",
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Yellow Paddock",
    "DESCRIPTION": "Build hosts, their toolchains and their jobs. Errors are problem details (RFC 9457).",
    "VERSION": "1",
    "OAS_VERSION": "3.1.0",
    "SERVE_INCLUDE_SCHEMA": False,
    "SERVE_PERMISSIONS": ["rest_framework.permissions.IsAuthenticated"],
    "COMPONENT_SPLIT_REQUEST": True,
    "SCHEMA_PATH_PREFIX": "/api/v1",
    "REDOC_DIST": "SIDECAR",
    "POSTPROCESSING_HOOKS": [
        "drf_spectacular.hooks.postprocess_schema_enums",
        "paddock_server.api.summaries.with_summaries",
        "paddock_server.api.summaries.with_problems",
    ],
    "ENUM_NAME_OVERRIDES": {
        "LinkEnum": "paddock_server.hosts.models.LINK_CHOICES",
        "AccountKindEnum": "paddock_server.people.models.ACCOUNT_KINDS",
        "ScopeEnum": "paddock_server.people.models.SCOPES",
        "AccountStateEnum": "paddock_server.access.serializers.ACCOUNT_STATES",
        "RoleEnum": "paddock_server.people.models.Role.choices",
        "StandingEnum": "paddock_server.hosts.models.STANDINGS",
        "ReadinessEnum": "paddock_server.rest.fields.READINESS_CHOICES",
        "ArchEnum": "paddock_server.bring_up.models.ARCHES",
        "SupervisorEnum": "paddock_server.bring_up.models.SUPERVISORS",
        "SystemEnum": "paddock_server.bring_up.models.SYSTEMS",
        "WhatEnum": "paddock_server.toolchains.models.WHATS",
        "StandsEnum": "paddock_server.toolchains.serializers.STANDS",
        "SeverityEnum": "paddock_server.health.models.SEVERITIES",
        "DeliveryStateEnum": "paddock_server.notifications.models.DELIVERY_STATES",
        "NotificationKindEnum": "paddock_server.notifications.models.KINDS",
        "RemedyKindEnum": "paddock_server.board.serializers.REMEDY_KINDS",
        "LevelEnum": "paddock_server.work.pipeline_serializers.LEVELS",
        "StepOutcomeEnum": "paddock_server.runs.models.STEP_OUTCOMES",
        "TestOutcomeEnum": "paddock_server.runs.models.TEST_OUTCOMES",
        "FolderKindEnum": "paddock_server.runs.models.FOLDER_KINDS",
        "ChoreRunStateEnum": "paddock_server.chores.models.RUN_STATES",
        "ChoreHostStateEnum": "paddock_server.chores.models.HOST_STATES",
        "RehearsalStateEnum": "paddock_server.planning.models.REHEARSAL_STATES",
        "RolloutStateEnum": "paddock_server.rollout.models.ROLLOUT_STATES",
        "PowerEnum": "paddock_server.hosts.models.POWER_CHOICES",
        "WakeWayEnum": "paddock_server.standby.models.WAKE_WAYS",
        "StandbyModeEnum": "paddock_server.standby.models.MODES",
        "RolloutStepEnum": "paddock_server.rollout.models.STEPS",
        "WhereEnum": "paddock_server.runs.serializers.WHERES",
        "DifferenceGroupEnum": "paddock_server.runs.serializers.GROUPS",
        "RetentionKindEnum": "paddock_server.housekeeping.models.KINDS",
        "JobStateEnum": "paddock_server.work.models.JOB_STATES",
        "AttemptStateEnum": "paddock_server.work.models.ATTEMPT_STATES",
    },
}

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {
        "text": {"format": "%(asctime)s %(levelname)s %(name)s:%(about)s %(message)s"},
        "json": {"()": "paddock_server.process.log_context.JsonLines"},
    },
    "filters": {
        "bounded": {"()": "paddock_server.front.log_bound.BoundedLines"},
        "context": {"()": "paddock_server.process.log_context.LogContext"},
    },
    "handlers": {
        "console": {
            "class": "logging.StreamHandler",
            "formatter": value_of("log_format"),
            "filters": ["bounded", "context"],
        }
    },
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {
        "paddock": {"level": "INFO"},
        "django.request": {"level": "ERROR"},
        # Anyone can send a wrong name; it is answered, and is not an error of the server.
        "django.security.DisallowedHost": {"level": "CRITICAL"},
    },
}

HEARTBEAT_SECONDS = 15.0
LINK_GRACE_SECONDS = float(value_of("link_grace"))
"""Silence after which a host is lost, where its paddock says nothing else."""
LEASE_SECONDS = float(value_of("lease"))
"""Silence after which what runs on a host is given up: a shorter one costs no job."""
WATCH_SECONDS = float(value_of("watch_seconds"))
"""How often the watches report."""
STANDBY_SETTLE_SECONDS = float(value_of("standby_settle"))
"""Seconds that a host stays on after it came up. Below an hour, a host may change more than twice in one."""
WAKE_PORT = int(float(value_of("wake_port")))
FINDINGS_SECONDS = min(5.0, WATCH_SECONDS / 2)
"""How often findings are looked for at least: some are of time alone."""

SYSLOG = value_of("syslog")
"""Where the logbook goes out as syslog (RFC 5424): udp://, tcp:// or tls://HOST[:PORT]; "" for nowhere."""
SMTP = value_of("smtp")
"""Where mail goes out: smtp://[USER:PASSWORD@]HOST[:PORT], smtps:// for TLS from the start; "" for no mail."""
MAIL_FROM = value_of("mail_from")
