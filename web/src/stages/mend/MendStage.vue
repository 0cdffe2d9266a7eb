<template>
  <div class="coming">
    <h1>Mend</h1>
    <p>Conversations, snags and settled answers will stand here: what went wrong out there, and its cure.</p>
  </div>
</template>

<style scoped>
.coming {
  padding: 24px;
  max-width: 72ch;
}
</style>
