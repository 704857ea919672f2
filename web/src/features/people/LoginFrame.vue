<template>
  <div class="login">
    <div class="frame">
      <h1>
        <svg viewBox="0 0 26 18" width="34" height="24" aria-hidden="true">
          <path d="M5 1v16M13 1v16M21 1v16M0 6h26M0 12h26" stroke="currentColor" stroke-width="2.6" fill="none" />
        </svg>
        Yellow Paddock
      </h1>
      <slot />
    </div>
  </div>
</template>

<style scoped>
.login {
  display: grid;
  min-height: 90vh;
  place-items: center;
}

.frame {
  width: 340px;
  padding: 22px 26px 26px;
  border: 2px solid var(--fence);
  border-radius: 4px;
  background: var(--plate);
}

h1 {
  display: flex;
  align-items: center;
  gap: 10px;
}

h1 svg {
  color: var(--yellow-deep);
}

.frame :deep(label) {
  display: flex;
  flex-direction: column;
  gap: 2px;
  margin: 12px 0;
  font-weight: 500;
}

.frame :deep(.trouble) {
  margin: 8px 0 10px;
}
</style>
