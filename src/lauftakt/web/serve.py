"""What gunicorn loads."""

from lauftakt import settings
from lauftakt.web.application import create_app

app = create_app(settings.load())
