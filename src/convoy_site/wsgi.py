"""What gunicorn serves."""

import gc
import os
import sys

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "convoy_site.settings")
application = get_wsgi_application()

# Builds are kept in memory by the hundred thousand; walking all of them every few requests is what made the slowest
# requests slow. What is loaded so far stays for good, and full collections come less often.
gc.freeze()
gc.set_threshold(50_000, 20, 100)

# A request asks the database some thirty times, and after each answer waits for its turn among the threads: in the
# default of 5 ms it would wait most of the time wherever another request computes.
sys.setswitchinterval(0.0005)
