"""What runs in the background for the catalogue."""

from procrastinate.contrib.django import app

from .models import Source
from .reading import read_source


@app.periodic(cron="*/10 * * * *")
@app.task(queueing_lock="read-sources")
def read_sources(timestamp: int = 0) -> None:
    """Asks every source for news. A source that is away only loses its own freshness."""
    for source in Source.objects.select_related("game").order_by("id"):
        read_source(source)
