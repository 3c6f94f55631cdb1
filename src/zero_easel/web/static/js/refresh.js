// Parts of this page, by selector, as the server draws them now.
export const refresh = async (...wanted) => {
  const text = await (await fetch(location.href)).text();
  const page = new DOMParser().parseFromString(text, "text/html");
  for (const id of wanted) {
    const fresh = page.querySelector(id);
    const old = document.querySelector(id);
    if (!fresh || !old) continue;
    old.replaceWith(fresh);
    window.htmx.process(fresh);
  }
  document.dispatchEvent(new CustomEvent("refreshed"));
};
