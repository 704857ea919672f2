from django.db import migrations

from paddock_core.access.names import skeleton


def make_accounts(apps, schema_editor):
    """Gives every user an account, and ends the sessions of before: their keys were stored as they are."""
    User = apps.get_model("auth", "User")
    Account = apps.get_model("people", "Account")
    for user in User.objects.filter(account=None):
        Account.objects.create(user=user, skeleton=skeleton(user.username)[:200], added_by="")
    schema_editor.execute("DROP TABLE IF EXISTS django_session")


class Migration(migrations.Migration):
    dependencies = [
        ("people", "0004_accounts_sessions_sign_on"),
        ("auth", "0012_alter_user_first_name_max_length"),
    ]

    operations = [migrations.RunPython(make_accounts, migrations.RunPython.noop)]
