import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("bring_up", "0002_repairs")]

    operations = [
        migrations.RenameField("BringUp", "kept", "supervisor"),
        migrations.RenameModel("ToldStep", "ReportedStep"),
        migrations.AlterField(
            "ReportedStep",
            "bring_up",
            models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="reported_steps", to="bring_up.bringup"
            ),
        ),
    ]
