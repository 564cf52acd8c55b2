<template>
  <section class="panel">
    <h1>There is no such page</h1>
    <p class="quiet">Go to <RouterLink to="/">the start</RouterLink>.</p>
  </section>
</template>
