"""What operators do with accounts: list them, make one, give one a new password, close one."""

from __future__ import annotations

import secrets
from typing import Any

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand, CommandError, CommandParser

from glass_spoon.studio.flows.accounts import close_without_asking
from glass_spoon.studio.sentences import Refused


class Command(BaseCommand):
    """Manages accounts; what it says last of a password is the password."""

    help = "List, make and close accounts, and give them new passwords."

    def add_arguments(self, parser: CommandParser) -> None:
        """Read what is to be done."""
        doing = parser.add_subparsers(dest="what", required=True)
        doing.add_parser("list", help="all accounts, with when they signed in last")
        for name, words in (
            ("make", "a new one, with a password that is said"),
            ("password", "a new password, which is said"),
        ):
            doing.add_parser(name, help=words).add_argument("name")
        doing.choices["make"].add_argument("--email", default="")
        doing.add_parser("close", help="close one, with the projects that are its alone").add_argument("name")

    def handle(self, *args: Any, **options: Any) -> None:
        """Do it."""
        users = get_user_model().objects
        what, name = options["what"], options.get("name", "")
        if what == "list":
            for user in users.order_by("username"):
                last = user.last_login.strftime("%Y-%m-%d %H:%M") if user.last_login else "never"
                self.stdout.write(f"{user.get_username()}\t{user.email or 'no address'}\tlast signed in: {last}")
            return
        word = secrets.token_urlsafe(15)
        found = users.filter(username=name).first()
        if what == "make":
            if found is not None:
                raise CommandError(f"There is an account {name} already.")
            users.create_user(name, email=options["email"], password=word)
            self.stdout.write(f"The account {name} was made, with the password {word}")
            return
        if found is None:
            raise CommandError(f"There is no account {name}.")
        if what == "password":
            found.set_password(word)
            found.save()
            self.stdout.write(f"{name} has the new password {word}")
            return
        try:
            close_without_asking(found)
        except Refused as error:
            raise CommandError(str(error)) from error
        self.stdout.write(f"The account {name} was closed.")
