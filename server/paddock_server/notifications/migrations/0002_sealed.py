from django.db import migrations, models

from paddock_server.sealing import seal


def seal_secrets(apps, schema_editor):
    """Seals what was kept as it is."""
    for rule in apps.get_model("notifications", "Telling").objects.exclude(secret=""):
        rule.sealed = seal(f"webhook {rule.name}", rule.secret)
        rule.save(update_fields=["sealed"])


class Migration(migrations.Migration):

    dependencies = [
        ('notifications', '0001_initial'),
    ]

    operations = [
        migrations.AddField(
            model_name='telling',
            name='sealed',
            field=models.BinaryField(default=b''),
        ),
        migrations.RunPython(seal_secrets, migrations.RunPython.noop),
        migrations.RemoveField(
            model_name='telling',
            name='secret',
        ),
    ]
