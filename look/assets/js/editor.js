// Saves a page as one types, shows it as it will be read, who else is on it,
// and takes in files that are dropped. Without it the Save button does the same.
import { markdown } from "./markdown.js";
import { onView } from "./view.js";

onView("[data-live]", (live, signal) => {
  listen(live.dataset.live, document.querySelector("form[data-save]"), signal);
});
onView("form[data-save]", (form, signal) => {
  if (!form.elements.body.readOnly) write(form, signal);
});

function listen(address, form, signal) {
  const mine = new EventSource(address);
  signal.addEventListener("abort", () => mine.close());
  mine.addEventListener("here", (event) => {
    const others = JSON.parse(event.data).filter((h) => !h.me);
    const line = document.querySelector("#here");
    if (line)
      line.textContent = others.length
        ? `Here now: ${others.map((h) => (h.title ? `${h.name} on “${h.title}”` : h.name)).join(", ")}`
        : (line.dataset.nobody ?? "");
  });
  mine.addEventListener("stopped", (event) => {
    mine.close();
    if (!form) return;
    form.elements.body.readOnly = form.elements.title.readOnly = true;
    form.dataset.stopped = "yes";
    sayHere(
      JSON.parse(event.data).gone
        ? "You are not on the team any more. What you typed last is still here to copy"
        : "You may not change this page any more. What you typed last is still here to copy",
      true,
    );
  });
  mine.addEventListener("saved", (event) => {
    const { name, version } = JSON.parse(event.data);
    if (form && version > Number(form.elements.version.value) && !form.dataset.saving)
      sayHere(`${name} saved this page too: it is put together with yours when you save`);
  });
  addEventListener("pagehide", () => mine.close(), { once: true, signal });
}

const sayHere = (text, bad) => {
  const line = document.querySelector("#saved");
  if (!line) return;
  line.textContent = text;
  line.classList.toggle("bad", Boolean(bad));
};

function write(form, signal) {
  const { body, title, version, over } = form.elements;
  const key = `velada ${form.action}`;
  let timer = 0,
    again = false,
    unsaved = false;
  const keep = (from = version.value) =>
    localStorage.setItem(key, JSON.stringify({ body: body.value, version: from }));
  if (over) {
    // Two states are put together by hand, and saved on purpose. What is kept goes on from what it began with.
    const from = JSON.parse(localStorage.getItem(key) ?? "null")?.version ?? "0";
    keep(from);
    body.addEventListener("input", () => keep(from), { signal });
    document
      .querySelector("[data-discard]")
      ?.addEventListener("click", () => localStorage.removeItem(key), { signal });
    return;
  }
  offerUnsaved(key, body, version, signal);
  const shown = () => !signal.aborted && form.isConnected;
  const say = (text, bad) => {
    if (shown()) sayHere(text, bad);
  };
  body.setSelectionRange(body.value.length, body.value.length); // what is added goes to the end at first
  form.querySelector("[data-plain-save]").hidden = true;

  async function save() {
    if (form.dataset.stopped) return;
    if (form.dataset.saving) {
      again = true;
      return;
    }
    form.dataset.saving = "yes";
    const sent = { body: body.value, title: title.value };
    unsaved = false;
    try {
      const answer = await fetch(form.action, {
        method: "POST",
        headers: { Accept: "application/json" },
        keepalive: !shown() && sent.body.length < 60000,
        body: new URLSearchParams({ version: version.value, ...sent }),
      });
      if (answer.redirected) throw new Error("signed out");
      const told = await answer.json();
      if (answer.status === 409) {
        say("Somebody else changed the same lines: both are shown", true);
        delete form.dataset.saving;
        keep(); // also where both are shown: whoever leaves them comes back to what they wrote
        if (shown()) form.submit();
        return;
      }
      if (!answer.ok) {
        keep();
        say(`Not saved. ${told.error}`, true);
      } else {
        const untouched = body.value === sent.body && title.value === sent.title;
        if (told.merged && untouched && shown()) {
          const at = body.selectionStart;
          body.value = told.body;
          title.value = told.title;
          body.setSelectionRange(at, at);
        }
        if (!told.merged || untouched) version.value = told.version;
        if (shown()) {
          document.querySelector("#rendering")?.contentWindow?.location.reload();
          document.querySelector("#live-now").textContent = told.live;
          const since = document.querySelector("#changes-now");
          since.textContent = told.since;
          since.hidden = !told.since;
          document.querySelector("#publish-now")?.toggleAttribute("hidden", !told.publish);
        }
        say(told.merged ? `${told.saved}, with what others changed` : told.saved);
        localStorage.removeItem(key);
        if (!untouched) again = true;
      }
    } catch {
      keep();
      say("Not saved: no answer. What you typed is kept in this browser and saved as soon as there is one", true);
      unsaved = true;
      if (shown()) timer = setTimeout(save, 4000);
    }
    delete form.dataset.saving;
    if (again) {
      again = false;
      timer = setTimeout(save, 300);
    }
  }
  // Whoever chooses another page before the pause is over loses nothing either.
  signal.addEventListener("abort", () => {
    clearTimeout(timer);
    if (unsaved) save();
  });
  const changed = () => {
    unsaved = true;
    say("Not saved yet");
    clearTimeout(timer);
    timer = setTimeout(save, 700);
  };
  form.addEventListener(
    "input",
    (event) => {
      if (event.target.name === "title" || event.target === body) changed();
    },
    { signal },
  );
  form.addEventListener(
    "submit",
    (event) => {
      event.preventDefault();
      clearTimeout(timer);
      save();
    },
    { signal },
  );
  // Another form of the page waits until what was typed is saved.
  document.addEventListener(
    "submit",
    async (event) => {
      const other = event.target;
      if (other === form || !unsaved || other.method !== "post" || "noWait" in other.dataset) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      clearTimeout(timer);
      await save();
      if (!unsaved && shown()) other.requestSubmit(event.submitter);
    },
    { signal, capture: true },
  );
  addEventListener(
    "beforeunload",
    (event) => {
      if (unsaved) {
        keep();
        event.preventDefault();
      }
    },
    { signal },
  );

  const insert = (text) => {
    body.setRangeText(text, body.selectionStart, body.selectionEnd, "end");
    body.focus();
    changed();
  };
  document.addEventListener(
    "click",
    (event) => {
      const found = event.target.closest("[data-insert]");
      if (found && shown()) insert(found.dataset.insert);
      const word = event.target.closest("[data-md]");
      if (word && shown()) {
        markdown(body, word.dataset.md);
        word.closest("details")?.removeAttribute("open");
      }
    },
    { signal },
  );

  async function add(file) {
    const data = new FormData();
    data.set("file", file);
    data.set("under", form.dataset.under);
    say(`${file.name} is being uploaded`);
    const answer = await fetch(form.dataset.files, { method: "POST", body: data }).catch(() => null);
    const told = await answer?.json().catch(() => null);
    if (!shown()) return;
    if (answer?.ok) {
      insert(told.markdown);
      if (told.picture) describe(told);
    } else say(`${file.name} was not taken. ${told?.error ?? "There was no answer."}`, true);
  }
  // What a picture shows is asked for once it is there, and put between the brackets of it.
  const asks = document.querySelector("#describe");
  function describe(file) {
    if (!asks) return;
    asks.hidden = false;
    asks.elements.path.value = file.path;
    asks.elements.text.value = "";
    asks.querySelector("[data-door]").textContent = file.door ? `The picture ${file.door}.` : "";
    asks.dataset.markdown = file.markdown;
    asks.elements.text.focus();
  }
  const described = () => {
    asks.hidden = true;
    body.focus();
  };
  asks?.querySelector("[data-later]").addEventListener("click", described, { signal });
  asks?.addEventListener(
    "submit",
    async (event) => {
      event.preventDefault();
      event.stopImmediatePropagation();
      const text = asks.elements.text.value.trim();
      await fetch(asks.action, {
        method: "POST",
        headers: { Accept: "application/json" },
        body: new URLSearchParams(new FormData(asks)),
      }).catch(() => null);
      const { markdown: was } = asks.dataset;
      const at = body.value.lastIndexOf(was);
      if (text && at >= 0) {
        body.setRangeText(was.replace("![]", `![${text.replace(/[\[\]]/g, "")}]`), at, at + was.length, "end");
        changed();
      }
      described();
    },
    { signal, capture: true },
  );
  document
    .querySelectorAll("[data-sends]")
    .forEach((input) => input.addEventListener("change", () => input.form.requestSubmit(), { signal }));
  form.querySelector("[data-add-file]").addEventListener(
    "change",
    (event) => {
      for (const file of event.target.files) add(file);
      event.target.value = "";
    },
    { signal },
  );
  body.addEventListener("dragover", (event) => event.preventDefault(), { signal });
  body.addEventListener(
    "drop",
    (event) => {
      if (event.dataTransfer.files.length) {
        event.preventDefault();
        for (const file of event.dataTransfer.files) add(file);
      }
    },
    { signal },
  );
}

function offerUnsaved(key, body, version, signal) {
  const kept = JSON.parse(localStorage.getItem(key) ?? "null");
  const box = document.querySelector("#unsaved");
  if (kept?.body === body.value) localStorage.removeItem(key); // it was saved
  if (!kept || kept.body === body.value) return;
  box.hidden = false;
  box.querySelector("span").textContent = "What you typed here last time could not be saved.";
  const [put, forget] = box.querySelectorAll("button");
  put.addEventListener(
    "click",
    () => {
      body.value = kept.body;
      version.value = kept.version;
      box.hidden = true;
      body.dispatchEvent(new Event("input", { bubbles: true }));
    },
    { signal },
  );
  forget.addEventListener(
    "click",
    () => {
      localStorage.removeItem(key);
      box.hidden = true;
    },
    { signal },
  );
}
