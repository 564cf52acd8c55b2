<!-- A card: what belongs together on a page. -->
<template>
  <section class="panel"><slot /></section>
</template>
