/**
 * Eskadel within a page:
 *
 *   <script src="https://eskadel.example/embed.js"></script>
 *   <eskadel-dashboard app="yard-desk" name="yard-today" pass-url="/eskadel-pass"></eskadel-dashboard>
 *
 * Attributes: app, name (of the dashboard), page, widget (a single chart), pass-url (an
 * address of the page's own that answers with a viewer pass as text). Instead of
 * pass-url, a page may set the property getPass, a function that promises one.
 *
 * With keep-view, the name of a parameter, the page's own address keeps how the dashboard is looked
 * at, so that it is found so again after a reload, or after coming back from a record.
 *
 * Events, both bubble: eskadel-record when a record is to be opened (detail.address; the
 * page goes there unless the event is cancelled), eskadel-shown when it is drawn.
 */
(() => {
  const home = new URL(/** @type {HTMLScriptElement} */ (document.currentScript).src).origin;

  class Dashboard extends HTMLElement {
    constructor() {
      super();
      /** @type {(() => Promise<string>) | null} */
      this.getPass = null;
      /** A pass that is fetched while the frame loads. @type {Promise<string> | null} */
      this.ahead = null;
      /** @param {MessageEvent} e */
      this.heard = (e) => this.hear(e);
    }

    connectedCallback() {
      const app = this.getAttribute("app") ?? "", name = this.getAttribute("name") ?? "";
      const address = new URL(`/embed/${encodeURIComponent(app)}/${encodeURIComponent(name)}`, home);
      for (const part of ["page", "widget"]) {
        const value = this.getAttribute(part);
        if (value) address.searchParams.set(part, value);
      }
      const kept = this.hasAttribute("keep-view") ? new URL(location.href).searchParams.get(this.getAttribute("keep-view") ?? "") : null;
      if (kept) address.searchParams.set("view", kept);
      if (location.origin === home) address.searchParams.set("try", "yes"); // a page of Eskadel's own, on which a builder tries it
      this.frame = document.createElement("iframe");
      this.frame.src = address.href;
      this.frame.allow = "fullscreen";
      this.frame.title = this.getAttribute("title") ?? "Dashboard";
      this.frame.style.cssText = "display:block;width:100%;border:0;height:320px";
      addEventListener("message", this.heard);
      this.replaceChildren(this.frame);
      if (this.getPass || !this.hasAttribute("pass-url")) return;
      this.ahead = this.pass();
      this.ahead.catch(() => {}); // told when the frame asks
      setTimeout(() => { this.ahead = null; }, 30000); // passes are short-lived
    }

    disconnectedCallback() {
      removeEventListener("message", this.heard);
    }

    /** @param {MessageEvent} e */
    hear(e) {
      const frame = /** @type {HTMLIFrameElement} */ (this.frame);
      if (e.source !== frame.contentWindow || e.origin !== home || e.data?.eskadel !== 1) return;
      const { say } = e.data;
      if (say === "pass-wanted") void this.hand();
      if (say === "height") frame.style.height = `${Number(e.data.height)}px`;
      if (say === "shown") this.dispatchEvent(new CustomEvent("eskadel-shown", { bubbles: true }));
      if (say === "view" && this.hasAttribute("keep-view")) {
        const at = new URL(location.href), part = this.getAttribute("keep-view") ?? "";
        if (e.data.view) at.searchParams.set(part, String(e.data.view));
        else at.searchParams.delete(part);
        history.replaceState(history.state, "", at);
      }
      if (say === "record") {
        const address = String(e.data.address);
        const go = this.dispatchEvent(new CustomEvent("eskadel-record", { bubbles: true, cancelable: true, detail: { address } }));
        if (go && address.startsWith("/") && !address.startsWith("//")) location.assign(address);
      }
    }

    /** Hands a viewer pass to the frame, and to no other page. */
    async hand() {
      const window = /** @type {Window} */ (/** @type {HTMLIFrameElement} */ (this.frame).contentWindow);
      try {
        const pass = this.ahead ?? this.pass();
        this.ahead = null;
        window.postMessage({ eskadel: 1, say: "pass", pass: await pass }, home);
      } catch (error) {
        window.postMessage({ eskadel: 1, say: "no-pass", words: /** @type {Error} */ (error).message }, home);
      }
    }

    /** A pass, from the page's own function or its address. */
    pass() {
      return this.getPass ? this.getPass() : this.fetchPass();
    }

    async fetchPass() {
      const response = await fetch(this.getAttribute("pass-url") ?? "", { headers: { Accept: "text/plain" } });
      if (!response.ok) throw new Error(`its address for passes answers ${response.status}.`);
      return (await response.text()).trim();
    }
  }

  customElements.define("eskadel-dashboard", Dashboard);
})();
