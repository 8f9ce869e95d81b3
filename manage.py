#!/usr/bin/env python
"""Django's command line."""

import os
import sys

from django.core.management import execute_from_command_line

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "glass_spoon.studio.settings")
execute_from_command_line(sys.argv)
