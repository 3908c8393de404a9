<template>
  <v-main>
    <div class="unknown most-480 py-0 px-5 d-grid ga-3 justify-items-start">
      <h1>There is nothing at this address</h1>
      <p class="text">It may have been mistyped, or what it led to was moved.</p>
      <v-btn to="/">All tests</v-btn>
    </div>
  </v-main>
</template>

<style scoped>
.unknown {
  margin: 16vh auto 0;
}
</style>
