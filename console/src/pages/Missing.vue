<template>
  <h1>There is no such page</h1>
  <p>Look at <RouterLink to="/today">what needs a person today</RouterLink>.</p>
</template>
