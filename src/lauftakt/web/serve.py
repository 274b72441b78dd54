"""What gunicorn loads."""

from lauftakt import settings
from lauftakt.web.application import create_app
from lauftakt.web.beside import look_after

app = create_app(settings.load())
look_after(app)
