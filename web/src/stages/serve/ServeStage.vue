<template>
  <div class="coming">
    <h1>Serve</h1>
    <p>Releases behind a gate, the widget, the share link and the open endpoints will stand here.</p>
  </div>
</template>

<style scoped>
.coming {
  padding: 24px;
  max-width: 72ch;
}
</style>
