"""The WSGI entry for gunicorn."""

import os

from django.conf import settings
from django.core.wsgi import get_wsgi_application
from django.urls import get_resolver

from glass_spoon.sheet.propose import read_ahead
from glass_spoon.studio.settle import settle

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "glass_spoon.studio.settings")
application = get_wsgi_application()
_ = get_resolver().url_patterns  # loads all views
read_ahead()
settle()

if settings.JOBS == "here":
    from glass_spoon.studio.jobs.worker import start_worker

    start_worker()
