// Before the first paint, so that a dark room stays dark.
(function () {
  var kept = null;
  try { kept = localStorage.getItem("bandejo-scheme"); } catch { /* private mode: the system decides */ }
  var dark = kept === "dark" || (kept !== "light" && matchMedia("(prefers-color-scheme: dark)").matches);
  document.documentElement.setAttribute("data-mantine-color-scheme", dark ? "dark" : "light");
})();
