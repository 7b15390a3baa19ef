<template>
  <svg width="26" height="26" viewBox="0 0 32 32" aria-hidden="true">
    <g stroke="currentColor" stroke-width="3.4" stroke-linecap="round">
      <path d="M16 5v22M5.5 21h4.5M22 21h4.500" />
    </g>
  </svg>
</template>
