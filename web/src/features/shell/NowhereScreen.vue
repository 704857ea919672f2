<template>
  <div class="screen">
    <h1>Not found</h1>
    <p>This page does not exist. <RouterLink :to="{ name: 'yard' }">Go to the yard</RouterLink></p>
  </div>
</template>
