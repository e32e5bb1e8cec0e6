// Makes passkeys and signs in by them. Where the browser knows none, what
// offers them stays hidden.
import { onView } from "./view.js";

const able = () => Boolean(window.PublicKeyCredential?.parseCreationOptionsFromJSON);

async function post(address, body) {
  const answer = await fetch(address, { method: "POST", headers: { "Content-Type": "application/json" }, body });
  const told = await answer.json();
  if (answer.status === 403 && told.to) {
    // to show once more who one is
    location.href = told.to;
    return new Promise(() => {});
  }
  if (!answer.ok) throw new Error(told.error);
  return told;
}

async function run(button) {
  const wrong = button.parentElement.querySelector("[data-passkey-wrong]");
  wrong.textContent = "";
  try {
    const make = button.dataset.passkeyNew;
    const address = make ?? button.dataset.passkeySignIn;
    const { publicKey } = await post(`${address}/ask`);
    const key = make
      ? await navigator.credentials.create({ publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(publicKey) })
      : await navigator.credentials.get({ publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(publicKey) });
    const { to } = await post(
      button.dataset.query ? `${address}?${button.dataset.query}` : address,
      JSON.stringify(key),
    );
    location.href = to;
  } catch (trouble) {
    wrong.textContent = trouble.name === "NotAllowedError" ? "The browser showed no passkey." : trouble.message;
  }
}

onView("[data-passkey]", (part) => {
  part.hidden = !able();
});
onView("[data-passkey-new],[data-passkey-sign-in]", (button, signal) => {
  button.addEventListener("click", () => run(button), { signal });
});
