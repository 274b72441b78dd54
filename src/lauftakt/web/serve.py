"""What gunicorn loads."""

from lauftakt import settings
from lauftakt.web.application import create_app
from lauftakt.web.beside import look_after
from lauftakt.work.private_logs import keep_logs_private

keep_logs_private()
app = create_app(settings.load())
look_after(app)
