// The console's keys and copying. Everything works without it; it only makes
// the way shorter.
(() => {
  const visit = (href) => { location.href = href; };
  if (new URLSearchParams(location.search).has("jump")) document.querySelector("#jump")?.focus();
  const typing = (at) => at.matches("input,textarea,select,[contenteditable]");

  // Where the tabs do not all fit, the one that one is on is seen.
  const showTab = () => {
    const tabs = document.querySelector(".tabs"), here = tabs?.querySelector("[aria-current]");
    if (here && tabs.scrollWidth > tabs.clientWidth) tabs.scrollLeft = here.offsetLeft - (tabs.clientWidth - here.offsetWidth) / 2;
  };
  showTab();
  document.addEventListener("htmx:after:swap", showTab);

  document.addEventListener("keydown", (event) => {
    const apply = document.querySelector("[data-key=apply]");
    if (event.key === "Enter" && event.ctrlKey && apply) {
      event.preventDefault();
      apply.click();
      return;
    }
    if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
    const jump = document.querySelector("#jump");
    const walk = document.querySelector("input[data-key=walk]") ?? document.querySelector("a[data-key=walk]");
    const keys = document.querySelector("#keys");
    if (event.key === "/" && jump) jump.focus();
    else if (event.key === "/" && keys) visit("/sites?jump=yes");
    else if (event.key === "w" && walk) (walk.href ? visit(walk.href) : walk.focus());
    else if (event.key === "?" && keys) keys.showModal();
    else return;
    event.preventDefault();
  });

  // A large upload shows how far it has come.
  document.addEventListener("submit", (event) => {
    const form = event.target.closest("[data-upload]");
    if (!form) return;
    event.preventDefault();
    const bar = form.querySelector("progress");
    const request = new XMLHttpRequest();
    bar.hidden = false;
    request.upload.addEventListener("progress", (sent) => { bar.value = sent.loaded / sent.total; });
    request.addEventListener("loadend", () => { visit(request.getResponseHeader("Location") ?? location.href); });
    request.open("POST", form.action);
    request.setRequestHeader("Accept", "application/json");
    request.send(new FormData(form));
  });

  document.addEventListener("click", async (event) => {
    const button = event.target.closest("[data-copy]");
    if (button) {
      const from = document.querySelector(button.dataset.copy);
      await navigator.clipboard.writeText(from.value ?? from.textContent);
      button.textContent = "Copied";
    }
    const append = event.target.closest("[data-append]");
    if (append) {
      const list = document.querySelector(append.dataset.append);
      list.value = list.value.trimEnd() + (list.value.trim() ? "\n" : "") + append.dataset.line + "\n";
      list.dispatchEvent(new Event("input", { bubbles: true }));
    }
    if (event.target.closest("[data-close]")) event.target.closest("dialog").close();
    if (event.target.closest("[data-keys]")) document.querySelector("#keys").showModal();
  });
})();
