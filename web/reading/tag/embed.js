/** The tags as a script: <script src="https://eskadel.example/embed.js"></script> */
import { define } from "./tags.js";

define(new URL(/** @type {HTMLScriptElement} */ (document.currentScript).src).origin);
