/** The answer to a question, drawn, with the records behind each mark. */
import { post } from "../page/api.js";
import { Drawer } from "../reading/drawer.js";
import { Widget } from "../reading/widget.js";

const place = document.getElementById("answer");
if (place) {
  const document_ = place.dataset.document ?? "";
  const drawer = new Drawer(/** @type {HTMLDialogElement} */ (document.getElementById("drawer")), () => ({ document: document_ }));
  const widget = Widget.alone(place, {
    choose: () => {},
    records: (mark, words) => void drawer.open("/charts/records", mark, words),
    keep: () => {},
  });
  const draw = async () => {
    widget.busy();
    try {
      const a = await post("/charts/answer", { document: document_ }, { json: true });
      widget.told(a);
    } catch (error) {
      widget.fail(/** @type {Error} */ (error).message, () => void draw());
    }
  };
  void draw();
  document.addEventListener("keydown", (e) => {
    if (e.key === "Escape" && drawer.isOpen) drawer.close();
  });
}
