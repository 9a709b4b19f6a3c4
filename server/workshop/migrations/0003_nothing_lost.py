"""States as what changed, jobs that are watched, meshes that can be made again, packages that can be brought back."""

import django.db.models.deletion
from django.db import migrations, models


def whole_states(apps, schema_editor):
    """Put document and files of every state into one value, and count what projects hold."""
    Revision, Project = apps.get_model("workshop", "Revision"), apps.get_model("workshop", "Project")
    for revision in Revision.objects.iterator(chunk_size=50):
        revision.whole = {"document": revision.document, "files": revision.files}
        revision.save(update_fields=["whole"])
    for project in Project.objects.select_related("head"):
        held = project.head.document if project.head else {}
        counts = {part: len(held.get(part, {})) for part in ("maps", "materials", "meshes")}
        Project.objects.filter(pk=project.pk).update(**counts)


class Migration(migrations.Migration):
    dependencies = [("workshop", "0002_package_brought_in")]

    operations = [
        migrations.AddField("revision", "whole", models.JSONField(null=True)),
        migrations.AddField("revision", "patch", models.JSONField(null=True)),
        migrations.AddField("revision", "since_whole", models.PositiveSmallIntegerField(default=0)),
        migrations.AddField("revision", "page", models.CharField(blank=True, default="", max_length=40)),
        migrations.AddField("revision", "epoch", models.PositiveIntegerField(default=0)),
        migrations.AddField("project", "maps", models.IntegerField(default=0)),
        migrations.AddField("project", "materials", models.IntegerField(default=0)),
        migrations.AddField("project", "meshes", models.IntegerField(default=0)),
        migrations.RunPython(whole_states, migrations.RunPython.noop),
        migrations.RemoveField("revision", "document"),
        migrations.RemoveField("revision", "files"),
        migrations.AlterField(
            "project",
            "head",
            models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+", to="workshop.revision"
            ),
        ),
        migrations.AddField("job", "attempts", models.PositiveSmallIntegerField(default=0)),
        migrations.AddField("job", "reading", models.JSONField(default=list)),
        migrations.AddField("job", "page", models.CharField(blank=True, default="", max_length=40)),
        migrations.AddField("job", "beat", models.DateTimeField(null=True)),
        migrations.AddField("job", "queued", models.DateTimeField(null=True)),
        migrations.AddIndex("job", models.Index(fields=["state"], name="workshop_jo_state_960e71_idx")),
        migrations.AddField("meshfacts", "source", models.JSONField(default=dict)),
        migrations.AddField("package", "removed", models.DateTimeField(null=True)),
    ]
