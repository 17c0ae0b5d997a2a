// Day or night: set before anything is drawn. Without a choice the system's
// own setting holds.
{
  const chosen = localStorage.getItem("theme");
  if (chosen === "day" || chosen === "night") document.documentElement.dataset.theme = chosen;
}
