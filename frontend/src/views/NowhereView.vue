<template>
  <main class="nowhere">
    <h1>There is nothing at this address</h1>
    <p class="muted">The job may have been deleted.</p>
    <p><router-link to="/">Go to Jobs</router-link></p>
  </main>
</template>

<style scoped>
.nowhere {
  max-width: 480px;
  margin: 15vh auto;
  padding: 0 20px;
}
</style>
