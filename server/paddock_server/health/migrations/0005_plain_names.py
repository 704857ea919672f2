from django.db import migrations

ACTIONS = {"start afresh": "restart agent", "have it started": "request start"}


def rename_actions(apps, _):
    for finding in apps.get_model("health", "Finding").objects.filter(remedy__action__in=list(ACTIONS)):
        finding.remedy["action"] = ACTIONS[finding.remedy["action"]]
        finding.save(update_fields=["remedy"])


class Migration(migrations.Migration):
    dependencies = [("health", "0004_health_evidence_health_examined_at")]

    operations = [
        migrations.RenameField("Health", "strange", "anomalies"),
        migrations.RenameField("ServiceChange", "said", "detail"),
        migrations.RenameField("WatchedService", "said", "detail"),
        migrations.RunPython(rename_actions, migrations.RunPython.noop),
    ]
