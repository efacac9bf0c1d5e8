/** The tags as a module: import "https://eskadel.example/eskadel.js" */
import { define } from "./tags.js";

define(new URL(import.meta.url).origin);
