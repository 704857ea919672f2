<template>
  <div class="screen">
    <h1>Nothing is here</h1>
    <p>This address leads nowhere. <RouterLink :to="{ name: 'yard' }">To the yard</RouterLink></p>
  </div>
</template>
