// A large upload shows how far it has come.
import { onView, visit } from "./view.js";

onView("form[data-upload]", (form, signal) => {
  form.addEventListener(
    "submit",
    (event) => {
      event.preventDefault();
      const bar = form.querySelector("progress");
      const request = new XMLHttpRequest();
      bar.hidden = false;
      request.upload.addEventListener("progress", (sent) => {
        bar.value = sent.loaded / sent.total;
      });
      request.addEventListener("loadend", () => visit(request.getResponseHeader("Location") ?? location.href));
      request.open("POST", form.getAttribute("action"));
      request.setRequestHeader("Accept", "application/json");
      request.send(new FormData(form));
    },
    { signal },
  );
});
