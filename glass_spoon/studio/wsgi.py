"""The WSGI entry for gunicorn."""

import os

from django.conf import settings
from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "glass_spoon.studio.settings")
application = get_wsgi_application()

if settings.JOBS == "here":
    from glass_spoon.studio.job_worker import start_worker

    start_worker()
