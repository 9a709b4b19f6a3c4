"""People on one project, through the pages: coming in, seeing each other, notes, history, roles."""

from __future__ import annotations

from datetime import timedelta

from django.contrib.auth.models import User
from django.utils import timezone
from playwright.sync_api import Page, expect

from server.workshop.models import ApiKey, Member, Project
from tests.browser.site import Site, browser
from tests.team import TeamMode

PASSWORD = "a long enough pass phrase"


class PeopleTogether(TeamMode, Site):
    def another(self) -> Page:
        """The page of somebody else, in a browser of their own."""
        context = browser().new_context(viewport={"width": 1280, "height": 800})
        self.addCleanup(context.close)
        page = context.new_page()
        page.set_default_timeout(90_000)
        return page

    def menu(self, page: Page, item: str) -> None:
        page.locator(".header .project button").click()
        page.get_by_role("menuitem", name=item).click()

    def test_two_people_come_in_meet_leave_notes_and_see_who_did_what(self) -> None:
        User.objects.create_user("olive", "olive@example.com", PASSWORD)
        page = self.page
        self.open("/")
        self.axe("logging in")
        page.get_by_label("Name").fill("olive")
        page.get_by_label("Password").fill("wrong")
        self.button("Log in").click()
        page.get_by_role("alert").wait_for()
        page.get_by_label("Password").fill(PASSWORD)
        self.button("Log in").click()
        self.open_small_project()
        project = Project.objects.get()
        self.menu(page, "People…")
        self.button("Invite by link").click()
        link = page.locator(".issued code").inner_text()
        self.axe("people")
        self.button("Close").click()

        other = self.another()
        other.goto(link)
        other.get_by_label("Name").fill("will")
        other.get_by_label("Mail address").fill("will@example.com")
        other.get_by_label("Password", exact=True).fill(PASSWORD)
        other.get_by_label("Password confirmation").fill(PASSWORD)
        other.get_by_role("button", name="Join").click()
        other.get_by_role("navigation", name="Workflow").get_by_role(
            "link", name="Materials"
        ).click()
        other.get_by_title("plain", exact=True).and_(other.get_by_role("button")).click()
        page.get_by_role("group", name="Here now").get_by_role(
            "link", name="will: Materials · plain"
        ).click()
        page.get_by_role("heading", name="plain", exact=True).wait_for()
        self.leave_and_answer_notes(other)
        self.see_who_did_what(other, project)
        self.be_told_what_is_not_allowed(other)
        self.take_somebody_out(project)
        self.look_at_the_servers_pages()

    def leave_and_answer_notes(self, other: Page) -> None:
        page = self.page
        row = other.locator('[data-input="roughness"]')
        row.get_by_role("button", name="adjust").click()
        other.get_by_role("button", name="Add note…").click()
        other.get_by_label("A note at roughness of plain").fill("Duller, please.")
        other.keyboard.press("Control+Enter")
        other.get_by_role("dialog", name="Notes").get_by_text("Duller, please.").wait_for()
        other.keyboard.press("Escape")

        mark = page.locator('[data-input="roughness"]').get_by_role("button", name="1 note")
        mark.click()
        notes = page.get_by_role("dialog", name="Notes")
        expect(notes).to_contain_text("will, just now")
        self.axe("notes")
        notes.get_by_role("button", name="Answer").click()
        notes.get_by_label("Answer").fill("Done.")
        page.keyboard.press("Enter")
        expect(notes).to_contain_text("olive, just now")
        notes.get_by_role("button", name="Resolve").click()
        expect(notes).to_contain_text("No open notes")
        page.keyboard.press("Escape")
        trail = other.get_by_role("navigation", name="Workflow")
        expect(trail.get_by_role("link", name="Materials")).not_to_contain_text("note")

    def see_who_did_what(self, other: Page, project: Project) -> None:
        page = self.page
        # What one changes, the other finds in the history, with a picture before and after.
        other.get_by_role("button", name="More for this material").click()
        other.get_by_role("menuitem", name="Duplicate").click()
        other.get_by_role("heading", name="plain_copy", exact=True).wait_for()
        self.menu(page, "History…")
        page.get_by_role("dialog", name="History").wait_for()
        page.get_by_label("Of").click()
        page.get_by_role("option", name="material plain_copy").click()
        step = page.get_by_role("dialog", name="History").get_by_role("listitem").first
        expect(step).to_contain_text("will")
        step.get_by_alt_text("plain_copy after").wait_for()
        page.locator(".MuiPopover-root").wait_for(state="detached")
        self.axe("history")
        page.get_by_label("Of").click()
        page.get_by_role("option", name="the whole project").click()
        page.get_by_role("button", name="Restore the version after").first.click()
        # The step that restored it stands on top; a button that offers to restore is no proof.
        expect(
            page.get_by_role("dialog", name="History").get_by_role("listitem").first
        ).to_contain_text("restore the version after")
        page.keyboard.press("Escape")
        self.assertNotIn("plain_copy", Project.objects.get(pk=project.pk).document.materials)

    def be_told_what_is_not_allowed(self, other: Page) -> None:
        # Who may only look is told so, and changes nothing.
        Member.objects.filter(person__username="will").update(role="look")
        other.reload()
        other.get_by_text("view only").wait_for()
        other.get_by_role("button", name="Undo").click()
        other.get_by_text("Your role in this project does not allow that.").wait_for()

    def take_somebody_out(self, project: Project) -> None:
        page = self.page
        # What somebody has issued is listed before they are taken out, and ends with it.
        will = User.objects.get(username="will")
        Member.objects.filter(person=will).update(role="own")
        ends = timezone.now() + timedelta(days=1)
        more = {"project": project, "made_by": will, "ends": ends}
        ApiKey.issue("ektopos_", label="night build", scope="work", **more)
        page.reload()
        self.menu(page, "People…")
        page.get_by_role("button", name="Remove will").click()
        asked = page.get_by_role("dialog", name="Remove will?")
        expect(asked).to_contain_text("the API key night build")
        self.axe("taking somebody out")
        asked.get_by_role("button", name="Remove").click()
        page.get_by_role("button", name="Remove will").wait_for(state="detached")
        self.assertFalse(ApiKey.objects.exists())

    def look_at_the_servers_pages(self) -> None:
        page = self.page
        # The pages of one's own account and of the server.
        User.objects.filter(username="olive").update(is_superuser=True)
        will = User.objects.get(username="will")
        for place in ("account", "accounts", f"accounts/{will.pk}", "folders", "audit"):
            self.open(f"/{place}")
            page.get_by_role("navigation", name="Pages").wait_for()
            self.axe(place)
        self.open("/documentation")
        self.axe("documentation")
        self.assertEqual([c for c in self.complaints if "403" not in c and "401" not in c], [])
