"""Forms of accounts, with their errors in plain words."""

from __future__ import annotations

from typing import Any

from django import forms
from django.contrib.auth import get_user_model
from django.contrib.auth.forms import AuthenticationForm, UserCreationForm

NAME_WORDS = "Use letters, digits and @ . + - _ only, up to 150 of them."


class SignInForm(AuthenticationForm):
    """User name and password."""

    def __init__(self, *args: Any, **options: Any) -> None:
        """Call the fields what people call them."""
        super().__init__(*args, **options)
        self.fields["username"].label = "User name"

    error_messages = {
        "invalid_login": "User name and password do not fit together. Check both; small and large letters differ.",
        "inactive": "This account was closed. Ask who runs this server.",
    }


class SignUpForm(UserCreationForm):
    """A new account: a name, an e-mail address for a forgotten password, a password typed twice."""

    error_messages = {"password_mismatch": "The two passwords differ. Type the same one twice."}
    email = forms.EmailField(
        required=False,
        max_length=254,
        label="E-mail",
        help_text="Only for a forgotten password. You may leave it out.",
        error_messages={"invalid": "This is no e-mail address. Write one such as ann@example.org, or leave it out."},
    )

    class Meta(UserCreationForm.Meta):
        """Fields of the account."""

        model = get_user_model()
        fields = ("username", "email")

    def __init__(self, *args: Any, **options: Any) -> None:
        """Say in plain words what each field wants."""
        super().__init__(*args, **options)
        name = self.fields["username"]
        name.label, name.help_text = "User name", NAME_WORDS
        name.error_messages |= {
            "required": "Choose a user name.",
            "invalid": NAME_WORDS,
            "unique": "This name is taken. Choose another one.",
            "max_length": NAME_WORDS,
        }
        for validator in name.validators:
            if getattr(validator, "code", "") == "invalid":
                validator.message = NAME_WORDS
        self.fields["password1"].help_text = "At least 10 letters, digits or signs; not a common word and not your name."
        self.fields["password1"].error_messages["required"] = "Choose a password."
        self.fields["password2"].label = "The same password again"
        self.fields["password2"].help_text = ""
        self.fields["password2"].error_messages["required"] = "Type the password a second time."

    def clean_username(self) -> str:
        """Refuse a name that differs from another in small and large letters only."""
        name = str(self.cleaned_data.get("username", ""))
        if get_user_model().objects.filter(username__iexact=name).exists():
            raise forms.ValidationError("This name is taken. Choose another one.", code="unique")
        return name

    def clean_email(self) -> str:
        """Refuse an address that another account has."""
        return free_address(self.cleaned_data.get("email", ""), None)


class AddressForm(forms.Form):
    """The e-mail address of an account."""

    email = forms.EmailField(
        required=False,
        max_length=254,
        label="E-mail",
        error_messages={"invalid": "This is no e-mail address. Write one such as ann@example.org, or leave it out."},
    )


def free_address(address: str, user: Any) -> str:
    """Return an address that no other account has; ValidationError for one that is taken."""
    others = get_user_model().objects.filter(email__iexact=address).exclude(pk=getattr(user, "pk", None))
    if address and others.exists():
        raise forms.ValidationError("Another account has this address. Use another one, or leave it out.")
    return address
