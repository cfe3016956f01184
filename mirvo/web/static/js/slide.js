/* The slider between two photos that lie over each other; without it the later photo covers the right half. */

const over = document.querySelector("[data-over]");
const slider = document.querySelector("[data-slider]");

function slide() {
  over.style.clipPath = `inset(0 0 0 ${100 - Number(slider.value)}%)`;
}

if (slider) {
  slider.addEventListener("input", slide);
  slide();
}
