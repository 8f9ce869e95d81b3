"""Sessions in the database, each with the account that holds it: who asks is known by one statement, not by two."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY, get_user, get_user_model
from django.contrib.auth.middleware import AuthenticationMiddleware
from django.contrib.sessions.backends.db import SessionStore as DatabaseSessionStore
from django.db import connection
from django.http import HttpRequest
from django.utils import timezone
from django.utils.crypto import constant_time_compare
from django.utils.functional import SimpleLazyObject

from glass_spoon.studio.models import SignedInSession


class SessionStore(DatabaseSessionStore):
    """Django's sessions in the database; `holder` is the account read along with one, None for nobody."""

    holder: Any = None

    @classmethod
    def get_model_class(cls) -> type[SignedInSession]:
        """Return the model of the rows."""
        return SignedInSession

    def create_model_instance(self, data: dict[str, Any]) -> SignedInSession:
        """Return a row, with the account that signed in."""
        row: SignedInSession = super().create_model_instance(data)
        row.user_id = data.get(SESSION_KEY)
        return row

    def load(self) -> dict[str, Any]:
        """Return what a session holds, and note its account; by a statement written out, since every request asks it."""
        user_model = get_user_model()
        fields = user_model._meta.concrete_fields
        columns = ", ".join(f"holder.{connection.ops.quote_name(field.column)}" for field in fields)
        statement = (
            f"SELECT held.session_data, {columns} FROM {SignedInSession._meta.db_table} held "
            f"LEFT JOIN {user_model._meta.db_table} holder ON holder.id = held.user_id "
            "WHERE held.session_key = %s AND held.expire_date > %s"
        )
        with connection.cursor() as cursor:
            cursor.execute(statement, [self.session_key, timezone.now()])
            row = cursor.fetchone()
        if row is None:
            self._session_key = None
            return {}
        names = [field.attname for field in fields]
        self.holder = user_model.from_db(connection.alias, names, row[1:]) if row[1] is not None else None
        found: dict[str, Any] = self.decode(row[0])
        return found


def holder_of(request: HttpRequest) -> Any:
    """Return the account that a request comes from: the session's, where it stands as it was when it signed in."""
    session = request.session
    try:
        named, backend, mark = session[SESSION_KEY], session[BACKEND_SESSION_KEY], session[HASH_SESSION_KEY]
    except KeyError:
        return get_user(request)
    user: Any = getattr(session, "holder", None)
    known = user is not None and user.is_active and str(user.pk) == str(named)
    if known and backend in settings.AUTHENTICATION_BACKENDS and constant_time_compare(mark, user.get_session_auth_hash()):
        return user
    return get_user(request)


class SignInMiddleware(AuthenticationMiddleware):
    """Gives a request its account when it is first asked for."""

    def process_request(self, request: HttpRequest) -> None:
        """Lay the account ready."""
        super().process_request(request)
        request.user = SimpleLazyObject(lambda: holder_of(request))
