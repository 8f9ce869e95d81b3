"""The WSGI entry for gunicorn."""

import os

from django.conf import settings
from django.core.wsgi import get_wsgi_application
from django.urls import get_resolver

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.propose import propose
from glass_spoon.studio.settle import settle

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "glass_spoon.studio.settings")
application = get_wsgi_application()
_ = get_resolver().url_patterns  # loads all views
for said in ("circle", "box 60 by 40 by 30 mm at 1, 2, 3, edges of 10 mm", "pull out the top of it by 3 mm in 2 rows"):
    propose(said, SheetDocument())  # compiles the phrases of all verbs, and what reads numbers
settle()

if settings.JOBS == "here":
    from glass_spoon.studio.jobs.worker import start_worker

    start_worker()
