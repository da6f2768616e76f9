document.body.textContent = "Tick Stone";
