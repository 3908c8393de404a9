<template>
  <v-main>
    <div class="unknown">
      <h1>There is nothing at this address</h1>
      <p class="text">It may have been mistyped, or what it led to was moved.</p>
      <v-btn to="/">All tests</v-btn>
    </div>
  </v-main>
</template>

<style scoped>
.unknown {
  max-width: 480px;
  margin: 16vh auto 0;
  padding: 0 20px;
  display: grid;
  gap: 12px;
  justify-items: start;
}
</style>
