from django.db import migrations, models


def tell(apps, schema_editor):
    from server.accounts.names import looks

    user = apps.get_model("accounts", "User")
    for pk, name in user.objects.values_list("pk", "username"):
        user.objects.filter(pk=pk).update(looks=looks(name))


class Migration(migrations.Migration):
    dependencies = [("accounts", "0001_initial")]

    operations = [
        migrations.AddField(
            model_name="user",
            name="looks",
            field=models.CharField(
                db_index=True, default="", help_text="What its name looks like", max_length=400
            ),
        ),
        migrations.RunPython(tell, migrations.RunPython.noop),
    ]
