"""Of each folder that is delivered to, what it has got from here; unknown for those of before."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("workshop", "0008_parts")]

    operations = [
        migrations.AddField("destination", "files", models.JSONField(null=True, default=None)),
        migrations.AlterField("destination", "files", models.JSONField(null=True, default=list)),
    ]
