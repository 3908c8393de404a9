<template>
  <section class="cautions" aria-label="Cautions">
    <p class="text">
      A running test cell can maim and kill. Before a session: guards on couplings and fans; extinguisher at
      hand and the fuel shut-off known; extraction running and carbon monoxide alarmed; hearing protected;
      nobody in the plane of rotation.
    </p>
    <p class="text">
      After a change: every fastener torqued in the maker's sequence, no job half done, no tool or swarf in
      the inlet, the throttle travels fully and closes. Lean mixture, detonation, low oil pressure and
      over-speed end an engine in seconds: watch the pull, not the screen alone.
    </p>
    <p class="text">
      <strong>A software stop is not a safety system.</strong> The stand needs its own wired emergency stop.
      Local codes, the stand maker's instructions and licensed practice come first; Torvix gives no permission
      to run.
    </p>
  </section>
</template>

<style scoped>
.cautions {
  border-left: 4px solid var(--hand);
  padding-left: 16px;
}
.cautions p {
  margin: 0 0 10px;
}
</style>
