from django.conf import settings
import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("maintenance", "0003_times_ahead"), ("hosts", "0011_planned_end")]

    operations = [
        migrations.RenameModel("Care", "MaintenanceWindow"),
        migrations.RenameModel("CareTime", "MaintenanceTime"),
        migrations.RenameModel("CareFeed", "CalendarAddress"),
        migrations.RemoveConstraint("MaintenanceTime", "one_care_time"),
        migrations.RenameField("MaintenanceTime", "care", "window"),
        migrations.AddConstraint(
            "MaintenanceTime",
            models.UniqueConstraint(fields=["window", "starts_at"], name="one_maintenance_time"),
        ),
        migrations.AlterField(
            "MaintenanceWindow",
            "paddock",
            models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="maintenance_windows", to="hosts.paddock"
            ),
        ),
        migrations.AlterField(
            "MaintenanceWindow",
            "host",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.CASCADE,
                related_name="maintenance_windows",
                to="hosts.host",
            ),
        ),
        migrations.AlterField(
            "CalendarAddress",
            "user",
            models.OneToOneField(
                on_delete=django.db.models.deletion.CASCADE,
                related_name="calendar_address",
                to=settings.AUTH_USER_MODEL,
            ),
        ),
    ]
