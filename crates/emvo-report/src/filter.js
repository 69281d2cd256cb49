for (const box of document.querySelectorAll("input[data-for]")) {
  box.hidden = false;
  const rows = document.querySelectorAll("#" + box.dataset.for + " tbody tr");
  box.addEventListener("input", () => {
    const words = box.value.toLowerCase().split(/\s+/).filter(Boolean);
    for (const row of rows) {
      const text = row.textContent.toLowerCase();
      row.hidden = !words.every((word) => text.includes(word));
    }
  });
}
