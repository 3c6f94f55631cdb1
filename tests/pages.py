"""What several tests do on pages."""

from playwright.sync_api import Page, expect


def keep(page: Page, label: str, value: str) -> None:
    """Type a value into a sentence and wait until it is kept."""
    field = page.get_by_label(label, exact=True)
    name = field.get_attribute("data-field") or ""
    field.fill(value)
    field.press("Enter")
    expect(page.locator("#rules-message")).to_have_attribute("data-kept", name)
