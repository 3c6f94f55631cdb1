// Passkeys: what the server asks is put to the device, and its answer sent with the form.

const { PublicKeyCredential } = window;
const known = PublicKeyCredential && "parseRequestOptionsFromJSON" in PublicKeyCredential;

const shown = async (form) => {
  const body = new URLSearchParams({ former: form.elements.former?.value ?? "" });
  const asked = await fetch(`${form.action}/offer`, { method: "POST", body, headers: { "HX-Request": "true" } });
  if (!asked.ok) throw new Error(await asked.text());
  const offer = await asked.json();
  const made =
    form.dataset.passkey === "create"
      ? await navigator.credentials.create({ publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(offer) })
      : await navigator.credentials.get({ publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(offer) });
  return JSON.stringify(made);
};

const why = (error) => {
  if (error.name === "InvalidStateError") return "This device has a passkey for you already.";
  if (error.name === "NotAllowedError") return "The device did not show a passkey.";
  return error.message;
};

for (const form of document.querySelectorAll("[data-passkey]")) {
  form.hidden = !known;
  form.addEventListener("submit", async (event) => {
    event.preventDefault();
    const told = form.querySelector("[role=alert]");
    told.textContent = "";
    try {
      form.elements.credential.value = await shown(form);
    } catch (error) {
      told.textContent = why(error);
      return;
    }
    for (const secret of form.querySelectorAll("[name=former]")) secret.disabled = true;
    form.submit();
  });
}
