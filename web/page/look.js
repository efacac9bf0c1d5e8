/** The look of a dashboard: a style sheet of its own over that of the pages. */
const sheet = new CSSStyleSheet();
document.adoptedStyleSheets.push(sheet);

/** Has the page look so, or as Eskadel does where there is nothing. @param {string} css */
export const look = (css) => sheet.replaceSync(css);
