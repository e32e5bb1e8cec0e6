// Lists are searched as one types: the form is sent when the hand rests.
import { onView } from "./view.js";

onView("form[data-searches]", (form, signal) => {
  let rests;
  form.addEventListener(
    "input",
    () => {
      clearTimeout(rests);
      rests = setTimeout(() => form.isConnected && form.requestSubmit(), 250);
    },
    { signal },
  );
  signal.addEventListener("abort", () => clearTimeout(rests));
});
