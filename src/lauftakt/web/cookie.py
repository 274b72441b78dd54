"""The signed cookie of a browser."""

from flask import Flask, Request
from flask.sessions import SecureCookieSession, SecureCookieSessionInterface
from itsdangerous import BadSignature


class Cookies(SecureCookieSessionInterface):
    """Flask's own, but for the age: how long a sign-in holds is said by its row. A cookie that was signed while the
    clock was ahead would be refused, and everybody be signed out, as soon as the clock is right again."""

    def open_session(self, app: Flask, request: Request) -> SecureCookieSession | None:
        """What the cookie of a request holds; nothing where it is not of ours."""
        signer = self.get_signing_serializer(app)
        if signer is None:
            return None
        try:
            return self.session_class(signer.loads(request.cookies.get(self.get_cookie_name(app), "")))
        except BadSignature:
            return self.session_class()
