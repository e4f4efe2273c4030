// Set before anything is drawn, so that the page does not flash.
document.documentElement.dataset.theme =
  localStorage.getItem('theme') ?? (matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light')
