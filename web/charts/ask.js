/** The answer to a question, drawn, with the records behind each mark. */
import { post } from "../page/api.js";
import { Drawer } from "../reading/drawer.js";
import { Widget } from "../reading/widget.js";

const place = document.getElementById("answer");
if (place) {
  const document_ = place.dataset.document ?? "";
  const drawer = new Drawer(/** @type {HTMLDialogElement} */ (document.getElementById("drawer")), () => ({ document: document_ }));
  place.innerHTML = '<div class="widget"><div class="widget-head"><h2></h2></div><div class="widget-body"></div></div>';
  const widget = new Widget(/** @type {HTMLElement} */ (place.firstElementChild), {
    choose: () => {},
    records: (mark, words) => void drawer.open("/charts/records", mark, words),
    keep: () => {},
  });
  const draw = async () => {
    widget.busy();
    try {
      const a = await post("/charts/answer", { document: document_ }, { json: true });
      widget.show({ ...a, html: a.html || '<p class="nothing"></p>' });
      if (!a.html) /** @type {HTMLElement} */ (widget.body.firstElementChild).textContent = a.nothing;
    } catch (error) {
      widget.fail(/** @type {Error} */ (error).message, () => void draw());
    }
  };
  void draw();
  document.addEventListener("keydown", (e) => {
    if (e.key === "Escape" && drawer.isOpen) drawer.close();
  });
}
