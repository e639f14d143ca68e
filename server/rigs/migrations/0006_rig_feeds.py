from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("rigs", "0005_sidings")]
    operations = [
        migrations.AddField(
            model_name="rig",
            name="feeds",
            field=models.JSONField(default=list, help_text="What plays into its sources"),
        ),
    ]
