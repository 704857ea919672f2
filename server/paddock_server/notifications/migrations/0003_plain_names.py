import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("notifications", "0002_sealed"), ("health", "0001_initial")]

    operations = [
        migrations.RenameModel("Telling", "NotificationRule"),
        migrations.RenameModel("Told", "DeliveryItem"),
        migrations.RenameField("NotificationRule", "tells_ends", "notifies_when_closed"),
        migrations.RenameField("Delivery", "telling", "rule"),
        migrations.AlterField(
            "DeliveryItem",
            "delivery",
            models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="items", to="notifications.delivery"
            ),
        ),
        migrations.AlterField(
            "DeliveryItem",
            "finding",
            models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="items", to="health.finding"),
        ),
    ]
