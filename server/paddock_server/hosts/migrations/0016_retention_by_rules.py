from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("hosts", "0015_retired_because"), ("housekeeping", "0002_rules_of_paddocks")]
    operations = [migrations.RemoveField(model_name="paddock", name="keep_days")]
