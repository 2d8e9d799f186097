// Say at once that a file is too large, before it travels.
"use strict";

const form = document.querySelector("[data-upload]");
const says = document.getElementById("upload-says");

form.elements.file.addEventListener("change", () => {
  const file = form.elements.file.files[0];
  const tooLarge = file && file.size > Number(form.dataset.upload);
  says.textContent = tooLarge ? form.dataset.tooLarge : "";
  if (tooLarge) form.elements.file.value = "";
});
